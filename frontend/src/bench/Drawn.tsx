import { useState } from "react";
import styled from "styled-components";
import { tone } from "../ui/theme";
import type { Point } from "./view";

const Overlay = styled.svg`
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  cursor: crosshair;
  touch-action: none;
  line,
  rect {
    fill: none;
    stroke: ${tone.accent};
    stroke-width: 1.5;
  }
`;

interface Props {
  label: string;
  /** With `line`, drawn from press to release; else the spot that is pressed. */
  line?: boolean;
  /** The same with a box from corner to corner. */
  box?: boolean;
  onDone: (from: Point, to: Point) => void;
}

/** Takes the next press or line that is drawn on the picture. */
export function Drawn({ label, line = false, box: boxed = false, onDone }: Props) {
  const [from, setFrom] = useState<Point | null>(null);
  const [to, setTo] = useState<Point | null>(null);
  const place = (event: React.PointerEvent<SVGSVGElement>): Point => {
    const box = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  };
  return (
    <Overlay
      aria-label={label}
      role="application"
      onPointerDown={(event) => {
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = place(event);
        setFrom(at);
        setTo(at);
      }}
      onPointerMove={(event) => from && setTo(place(event))}
      onPointerUp={(event) => {
        const end = place(event);
        if (from) onDone(from, end);
        setFrom(null);
      }}
    >
      {line && from && to && <line x1={from.x} y1={from.y} x2={to.x} y2={to.y} />}
      {boxed && from && to && (
        <rect x={Math.min(from.x, to.x)} y={Math.min(from.y, to.y)} width={Math.abs(to.x - from.x)} height={Math.abs(to.y - from.y)} />
      )}
    </Overlay>
  );
}
