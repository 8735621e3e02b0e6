import { useHandle } from "../../../ui/useHandle";
import { toPlate, toScreen } from "../view";
import type { NumberHandle } from "./index";
import { within } from "./within";

/** A height in the plate as a line from one side to the other, moved up and down. */
export const handle: NumberHandle = function Level({ plate, placement, setting, value, onChange, onRest, onReset }) {
  const now = value as number;
  const [left, middle, right] = [0, 0.5, 1].map((x) => toScreen(placement, plate, [x, now]));
  const grip = useHandle({
    at: middle ?? { x: 0, y: 0 },
    onMove: (to) => onChange(within(setting, toPlate(placement, plate, to)[1])),
    onStep: (_, down) => onChange(within(setting, now + down * setting.step)),
    onRest: () => onRest(),
  });
  if (!left || !middle || !right) return null;
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={`${setting.label} on the picture`}
      aria-orientation="vertical"
      aria-valuenow={now}
      aria-valuetext={`${Math.round(now * 100)} % from the top`}
      onDoubleClick={onReset}
      {...grip}
    >
      {["halo", "line"].map((c) => (
        <line key={c} className={c} x1={left.x} y1={left.y} x2={right.x} y2={right.y} />
      ))}
      <circle className="grip" cx={middle.x} cy={middle.y} r={14} />
      <circle className="dot" cx={middle.x} cy={middle.y} r={5} />
    </g>
  );
};
