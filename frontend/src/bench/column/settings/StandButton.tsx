import { Toggle } from "../../../ui/Button";
import { Icon } from "../../../ui/Icon";
import { useBench, useNow } from "../../store/bench";
import { HANDLES } from "../../store/hand";

/** Takes up the tool by which a click says how near a light stands. */
export function StandButton() {
  const { take } = useBench();
  const up = useNow((s) => s.hand.tool.is === "stand");
  return (
    <Toggle
      weight="bare"
      className="strip"
      aria-label="Stand where I click"
      hint="Click the picture: the light stands as near as what is there. What is nearer is tinted and hides it"
      isSelected={up}
      onChange={(on) => take(on ? { is: "stand" } : HANDLES)}
    >
      <Icon name="aim" size={14} />
    </Toggle>
  );
}
