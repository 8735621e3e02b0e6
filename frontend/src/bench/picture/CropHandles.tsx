import styled from "styled-components";
import type { Box, Plate } from "../../api/client";
import { tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import { useBench, useNow } from "../store/bench";
import { placementAtOrigin } from "../store/selectors";
import { Layer } from "./handles/Overlay";
import { boxOnScreen, type Placement } from "./view";

const Overlay = styled(Layer)`
  .shade {
    fill: rgb(20 20 20 / 0.62);
    fill-rule: evenodd;
  }
  .rim {
    fill: none;
    stroke: ${tone.strong};
    stroke-width: 1;
  }
  .third {
    stroke: ${tone.strong};
    stroke-opacity: 0.3;
  }
  [role="slider"] {
    pointer-events: all;
    outline: none;
    fill: transparent;
  }
  [role="slider"]:focus-visible {
    fill: ${tone.accent};
    fill-opacity: 0.5;
  }
`;

const WIDE = 18;
const parts: { name: string; x: -1 | 0 | 1; y: -1 | 0 | 1; cursor: string }[] = [
  { name: "Left edge", x: -1, y: 0, cursor: "ew-resize" },
  { name: "Right edge", x: 1, y: 0, cursor: "ew-resize" },
  { name: "Top edge", x: 0, y: -1, cursor: "ns-resize" },
  { name: "Bottom edge", x: 0, y: 1, cursor: "ns-resize" },
  { name: "Top left corner", x: -1, y: -1, cursor: "nwse-resize" },
  { name: "Bottom right corner", x: 1, y: 1, cursor: "nwse-resize" },
  { name: "Top right corner", x: 1, y: -1, cursor: "nesw-resize" },
  { name: "Bottom left corner", x: -1, y: 1, cursor: "nesw-resize" },
];
const STEP = 0.01;

const SHADE = 1e5; // CSS pixels; more than any screen

/** The crop over the straightened picture: edges and corners to drag, or to move with the arrow keys. */
export function CropHandles() {
  const { now, editing, catalogue } = useBench();
  const { plate } = now();
  const placement = useNow(placementAtOrigin);
  const box = useNow((s) => s.rig.prepare.crop ?? s.seen);
  if (!placement) return null;
  const { left, top, width, height } = boxOnScreen(placement, plate, box);
  return (
    <Overlay aria-label="Crop">
      <path className="shade" d={`M${-SHADE} ${-SHADE}H${SHADE}V${SHADE}H${-SHADE}Z M${left} ${top}h${width}v${height}h${-width}Z`} />
      {[1, 2].map((k) => (
        <g key={k}>
          <line className="third" x1={left + (width * k) / 3} x2={left + (width * k) / 3} y1={top} y2={top + height} />
          <line className="third" y1={top + (height * k) / 3} y2={top + (height * k) / 3} x1={left} x2={left + width} />
        </g>
      ))}
      <rect className="rim" x={left} y={top} width={width} height={height} />
      {parts.map((part) => (
        <Grip
          key={part.name}
          part={part}
          plate={plate}
          placement={placement}
          box={box}
          least={catalogue.limits.smallest_crop}
          onChange={(crop) => editing.setting("prepare", "crop", crop)}
          onRest={() => editing.rest("Crop")}
        />
      ))}
    </Overlay>
  );
}

interface GripProps {
  part: (typeof parts)[number];
  plate: Plate;
  placement: Placement;
  box: Box;
  /** The smallest share of the plate that each side of it can be. */
  least: number;
  onChange: (box: Box) => void;
  onRest: () => void;
}

/** An edge or a corner of the crop. */
function Grip({ part: { name, x, y, cursor }, plate, placement, box, least, onChange, onRest }: GripProps) {
  const { left, top, width, height } = boxOnScreen(placement, plate, box);
  const across = plate.width * placement.scale;
  const down = plate.height * placement.scale;
  const hold = (v: number, low: number, high: number) => Number(Math.min(high, Math.max(low, v)).toFixed(4));
  const set = (toX: number, toY: number) =>
    onChange({
      x0: x < 0 ? hold(toX, 0, box.x1 - least) : box.x0,
      x1: x > 0 ? hold(toX, box.x0 + least, 1) : box.x1,
      y0: y < 0 ? hold(toY, 0, box.y1 - least) : box.y0,
      y1: y > 0 ? hold(toY, box.y0 + least, 1) : box.y1,
    });
  const here = { x: x < 0 ? box.x0 : box.x1, y: y < 0 ? box.y0 : box.y1 };
  const handle = useHandle({
    at: { x: here.x * across, y: here.y * down },
    onMove: (to) => set(to.x / across, to.y / down),
    onStep: (right, lower) => set(here.x + right * STEP, here.y + lower * STEP),
    onRest,
  });
  return (
    <rect
      role="slider"
      tabIndex={0}
      aria-label={`${name} of the crop`}
      aria-valuenow={Math.round(100 * (x !== 0 ? here.x : here.y))}
      style={{ cursor, touchAction: "none" }}
      x={x === 0 ? left : left + (x > 0 ? width : 0) - WIDE / 2}
      y={y === 0 ? top : top + (y > 0 ? height : 0) - WIDE / 2}
      width={x === 0 ? width : WIDE}
      height={y === 0 ? height : WIDE}
      {...handle}
    />
  );
}
