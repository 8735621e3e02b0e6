import { Check } from "../../../../ui/Check";
import { settingView } from "../registry";

/** Something that is so or not. */
export const view = settingView("flag", {
  Row: ({ setting, value, onChange, onRest }) => (
    <div className="wide">
      <Check
        label={setting.label}
        hideLabel
        isSelected={value as boolean}
        onChange={(next) => {
          onChange(next);
          onRest();
        }}
      />
    </div>
  ),
});
