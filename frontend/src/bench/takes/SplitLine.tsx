import { useRef, type PointerEvent } from "react";
import styled from "styled-components";
import { focusRing, tone } from "../../ui/theme";

const Line = styled.div`
  position: absolute;
  top: 0;
  bottom: 0;
  width: 24px;
  margin-left: -12px;
  cursor: ew-resize;
  touch-action: none;
  outline: none;
  &::before { content: ""; position: absolute; left: 11px; top: 0; bottom: 0; width: 2px; background: ${tone.strong}; box-shadow: 0 0 0 1px rgb(0 0 0 / 0.4); }
  &::after { content: ""; position: absolute; left: 5px; top: 50%; width: 14px; height: 14px; background: ${tone.strong}; transform: rotate(45deg); border-radius: 2px; }
  &:focus-visible::after { ${focusRing} background: ${tone.accent}; }
`;

const STEP = 0.02;

/** The line between two states of the picture, to be dragged. */
export function SplitLine({ at, onMove }: { at: number; onMove: (at: number) => void }) {
  const held = useRef(false);
  const within = (share: number) => Math.min(1, Math.max(0, share));
  const move = (event: PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.parentElement?.getBoundingClientRect();
    if (held.current && box) onMove(within((event.clientX - box.left) / box.width));
  };
  return (
    <Line
      role="slider"
      tabIndex={0}
      aria-label="Split between the two"
      aria-valuenow={Math.round(at * 100)}
      style={{ left: `${at * 100}%` }}
      onPointerDown={(event) => {
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        held.current = true;
      }}
      onPointerMove={move}
      onPointerUp={() => (held.current = false)}
      onKeyDown={(event) => {
        const by = event.key === "ArrowLeft" ? -STEP : event.key === "ArrowRight" ? STEP : 0;
        if (!by) return;
        event.preventDefault();
        event.stopPropagation();
        onMove(within(at + by));
      }}
    />
  );
}
