import { Button } from "../../../../ui/Button";
import { settingView } from "../registry";

/** A loose box: drawn on the picture with the part's own tool. */
export const view = settingView("box", {
  Row: ({ value, onReset }) => (
    <div className="pair">
      <span className="unit">{value ? "drawn" : "none"}</span>
      <Button weight="bare" isDisabled={!value} onPress={onReset}>
        Clear
      </Button>
    </div>
  ),
});
