import { ColourField } from "../../../../ui/ColourField";
import { settingView } from "../registry";

/** A colour that is picked by eye or typed. */
export const view = settingView("colour", {
  Row: ({ setting, value, onChange, onRest }) => (
    <div className="wide">
      <ColourField label={setting.label} value={value as string} onChange={onChange} onRest={onRest} />
    </div>
  ),
});
