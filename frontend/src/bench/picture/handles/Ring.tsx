import type { Plate } from "../../../api/client";
import { useHandle } from "../../../ui/useHandle";
import type { Spot } from "../../store/places";
import { diagonal, toScreen, type Placement } from "../view";

interface Props {
  plate: Plate;
  placement: Placement;
  label: string;
  text: string;
  /** Where the ring's middle is, and how large it is, in diagonals. */
  centre: Spot;
  radius: number;
  turn: number;
  onRadius: (radius: number) => void;
  onStep: (steps: number) => void;
  onRest: () => void;
  onReset: () => void;
}

/** A ring with a grip that sets its radius. */
export function Ring({ plate, placement, label, text, centre, radius, turn, onRadius, onStep, onRest, onReset }: Props) {
  const at = toScreen(placement, plate, centre);
  const per = diagonal(plate) * placement.scale;
  // Each ring has its grip in another direction, so that they never lie on one another.
  const angle = (-20 - 55 * turn) * (Math.PI / 180);
  const knob = { x: at.x + Math.cos(angle) * radius * per, y: at.y + Math.sin(angle) * radius * per };
  const handle = useHandle({
    at: knob,
    onMove: (to) => onRadius(Math.hypot(to.x - at.x, to.y - at.y) / per),
    onStep: (across, down) => onStep(across - down),
    onRest,
  });
  return (
    <>
      <circle className="ring" cx={at.x} cy={at.y} r={radius * per} />
      <g
        role="slider"
        tabIndex={0}
        aria-label={`${label} on the picture`}
        aria-valuenow={radius}
        aria-valuetext={text}
        onDoubleClick={onReset}
        {...handle}
      >
        <circle className="grip" cx={knob.x} cy={knob.y} r={11} />
        <rect className="dot" x={knob.x - 3.5} y={knob.y - 3.5} width={7} height={7} transform={`rotate(45 ${knob.x} ${knob.y})`} />
        <text x={knob.x + 9} y={knob.y - 6}>
          {label}
        </text>
      </g>
    </>
  );
}
