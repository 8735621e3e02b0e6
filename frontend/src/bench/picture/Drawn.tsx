import { useState } from "react";
import styled from "styled-components";
import { tone } from "../../ui/theme";
import { Layer } from "./handles/Overlay";
import { EVERYWHERE, onLayer } from "./place";
import type { Point } from "./view";

const Drawing = styled(Layer)`
  cursor: crosshair;
  touch-action: none;
  line,
  .box {
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
  return (
    <Drawing>
      <rect
        {...EVERYWHERE}
        aria-label={label}
        role="application"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.stopPropagation();
          event.currentTarget.setPointerCapture(event.pointerId);
          const at = onLayer(event);
          setFrom(at);
          setTo(at);
        }}
        onPointerMove={(event) => from && setTo(onLayer(event))}
        onPointerUp={(event) => {
          if (from) onDone(from, onLayer(event));
          setFrom(null);
        }}
      />
      {line && from && to && <line x1={from.x} y1={from.y} x2={to.x} y2={to.y} />}
      {boxed && from && to && (
        <rect
          className="box"
          x={Math.min(from.x, to.x)}
          y={Math.min(from.y, to.y)}
          width={Math.abs(to.x - from.x)}
          height={Math.abs(to.y - from.y)}
        />
      )}
    </Drawing>
  );
}
