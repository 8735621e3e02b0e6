import { Select } from "../../../../ui/Select";
import { settingView } from "../registry";
import { StripButton } from "../StripButton";

/** One of several words. */
export const view = settingView("choice", {
  Row: ({ setting, value, onChange, onRest, onStrip }) => (
    <>
      <StripButton label={setting.label} onStrip={onStrip} />
      <div className="wide">
        <Select
          label={setting.label}
          hideLabel
          value={value as string}
          options={setting.options}
          onChange={(next) => {
            onChange(next);
            onRest();
          }}
        />
      </div>
    </>
  ),
});
