import { useRef, type PointerEvent } from "react";
import styled from "styled-components";
import type { Box, Plate } from "../api/client";
import { tone } from "../ui/theme";
import { boxOnScreen, type Placement, type Point } from "./view";

const Overlay = styled.svg`
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
  .shade { fill: rgb(20 20 20 / 0.62); fill-rule: evenodd; }
  .rim { fill: none; stroke: ${tone.strong}; stroke-width: 1; }
  .third { stroke: ${tone.strong}; stroke-opacity: 0.3; }
  [role="slider"] { pointer-events: all; outline: none; fill: transparent; }
  [role="slider"]:focus-visible { fill: ${tone.accent}; fill-opacity: 0.5; }
`;

interface Props {
  plate: Plate;
  area: Point;
  placement: Placement;
  box: Box;
  onChange: (box: Box) => void;
  onRest: () => void;
}

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
const LEAST = 0.05;
const STEP = 0.01;

/** The crop over the straightened picture: edges and corners to drag, or to move with the arrow keys. */
export function CropHandles({ plate, area, placement, box, onChange, onRest }: Props) {
  const held = useRef<{ at: Point; from: Box } | null>(null);
  const { left, top, width, height } = boxOnScreen(placement, plate, box);
  const moved = (from: Box, x: number, y: number, dx: number, dy: number): Box => {
    const hold = (v: number, low: number, high: number) => Number(Math.min(high, Math.max(low, v)).toFixed(4));
    return {
      x0: x < 0 ? hold(from.x0 + dx, 0, from.x1 - LEAST) : from.x0,
      x1: x > 0 ? hold(from.x1 + dx, from.x0 + LEAST, 1) : from.x1,
      y0: y < 0 ? hold(from.y0 + dy, 0, from.y1 - LEAST) : from.y0,
      y1: y > 0 ? hold(from.y1 + dy, from.y0 + LEAST, 1) : from.y1,
    };
  };
  const across = plate.width * placement.scale;
  const down = plate.height * placement.scale;
  return (
    <Overlay aria-label="Crop">
      <path className="shade" d={`M0 0H${area.x}V${area.y}H0Z M${left} ${top}h${width}v${height}h${-width}Z`} />
      {[1, 2].map((k) => (
        <g key={k}>
          <line className="third" x1={left + (width * k) / 3} x2={left + (width * k) / 3} y1={top} y2={top + height} />
          <line className="third" y1={top + (height * k) / 3} y2={top + (height * k) / 3} x1={left} x2={left + width} />
        </g>
      ))}
      <rect className="rim" x={left} y={top} width={width} height={height} />
      {parts.map(({ name, x, y, cursor }) => (
        <rect
          key={name}
          role="slider"
          tabIndex={0}
          aria-label={`${name} of the crop`}
          aria-valuenow={Math.round(100 * (x < 0 ? box.x0 : x > 0 ? box.x1 : y < 0 ? box.y0 : box.y1))}
          style={{ cursor }}
          x={x === 0 ? left : left + (x > 0 ? width : 0) - WIDE / 2}
          y={y === 0 ? top : top + (y > 0 ? height : 0) - WIDE / 2}
          width={x === 0 ? width : WIDE}
          height={y === 0 ? height : WIDE}
          onPointerDown={(event: PointerEvent<SVGRectElement>) => {
            event.stopPropagation();
            event.currentTarget.setPointerCapture(event.pointerId);
            held.current = { at: { x: event.clientX, y: event.clientY }, from: box };
          }}
          onPointerMove={(event) => {
            const start = held.current;
            if (start) onChange(moved(start.from, x, y, (event.clientX - start.at.x) / across, (event.clientY - start.at.y) / down));
          }}
          onPointerUp={() => {
            held.current = null;
            onRest();
          }}
          onKeyDown={(event) => {
            const dx = event.key === "ArrowRight" ? STEP : event.key === "ArrowLeft" ? -STEP : 0;
            const dy = event.key === "ArrowDown" ? STEP : event.key === "ArrowUp" ? -STEP : 0;
            if (!dx && !dy) return;
            event.preventDefault();
            event.stopPropagation();
            onChange(moved(box, x, y, dx, dy));
            onRest();
          }}
        />
      ))}
    </Overlay>
  );
}
