import type { Plate } from "../../../api/client";
import { useHandle } from "../../../ui/useHandle";
import type { Spot } from "../../store/places";
import { toScreen } from "../view";
import type { NumberHandle } from "./index";

const MIDDLE: Spot = [0.5, 0.5];

/** The direction (degrees) in which the middle of the plate lies from a place: down where that is the middle itself. */
function towardMiddle(from: Spot, plate: Plate): number {
  const across = (MIDDLE[0] - from[0]) * plate.width;
  const down = (MIDDLE[1] - from[1]) * plate.height;
  return across === 0 && down === 0 ? -90 : (-Math.atan2(down, across) * 180) / Math.PI;
}

/** An angle as an arrow through the middle of the picture, or from the place that it goes round. */
export const handle: NumberHandle = function Direction({ plate, placement, setting, value, values, onChange, onRest, onReset }) {
  const about = setting.about ? (values[setting.about] as Spot) : MIDDLE;
  const zero = setting.toward_middle ? towardMiddle(about, plate) : 0;
  const now = (value as number) + zero;
  const centre = toScreen(placement, plate, about);
  const length = 0.22 * Math.min(plate.width, plate.height) * placement.scale + 40;
  const angle = (-(now + placement.angle) * Math.PI) / 180;
  const tip = { x: centre.x + Math.cos(angle) * length, y: centre.y + Math.sin(angle) * length };
  const set = (degrees: number) => onChange(Math.round(((((degrees - zero + 180) % 360) + 360) % 360) - 180));
  const grip = useHandle({
    at: tip,
    onMove: (to) => set((-Math.atan2(to.y - centre.y, to.x - centre.x) * 180) / Math.PI - placement.angle),
    onStep: (across, down) => set(now + (across - down) * setting.step),
    onRest: () => onRest(),
  });
  return (
    <>
      {["halo", "line"].map((c) => (
        <line
          key={c}
          className={c}
          x1={setting.about ? centre.x : 2 * centre.x - tip.x}
          y1={setting.about ? centre.y : 2 * centre.y - tip.y}
          x2={tip.x}
          y2={tip.y}
        />
      ))}
      <g
        role="slider"
        tabIndex={0}
        aria-label={`${setting.label} on the picture`}
        aria-valuenow={value as number}
        aria-valuetext={`${value as number} degrees`}
        transform={`translate(${tip.x} ${tip.y}) rotate(${-now - placement.angle})`}
        onDoubleClick={onReset}
        {...grip}
      >
        <circle className="grip" r={14} />
        <path className="dot" d="M9 0-6-6-3 0-6 6z" />
      </g>
    </>
  );
};
