import { useLayoutEffect, useState } from "react";
import styled from "styled-components";
import { scaleNow } from "../../ui/scale";
import { tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import { remember, remembered } from "../store/remembered";

const KEPT = "column-width";
const USUAL = 336; // CSS pixels
const NARROWEST = 280;
const WIDEST = 760;
const STEP = 8;

/** The column's width for the grid of the bench; it leaves more than half of a small window to the picture. */
export const columnWidth = `min(calc(var(--column, ${USUAL}px) * var(--scale, 1)), 46vw)`;

const Edge = styled.div`
  position: absolute;
  left: -3px;
  top: 0;
  bottom: 0;
  width: 7px;
  z-index: 5;
  cursor: ew-resize;
  touch-action: none;
  &:hover,
  &:focus-visible {
    background: ${tone.accent};
    opacity: 0.5;
  }
`;

/** The column's left edge, dragged or stepped to make it wider; a double-click gives it its usual width back. */
export function WidthHandle() {
  const [width, setWidth] = useState(() => Number(remembered(KEPT)) || USUAL);
  useLayoutEffect(() => {
    document.documentElement.style.setProperty("--column", `${String(width)}px`);
  }, [width]);
  const to = (next: number) => setWidth(Math.round(Math.min(WIDEST, Math.max(NARROWEST, next))));
  const handle = useHandle({
    at: () => ({ x: -width * scaleNow(), y: 0 }),
    onMove: (at) => to(-at.x / scaleNow()),
    onStep: (across) => to(width - across * STEP),
    onRest: () => setWidth((last) => (remember(KEPT, last), last)),
  });
  return (
    <Edge
      {...handle}
      role="separator"
      aria-orientation="vertical"
      aria-label="Width of the settings"
      aria-valuemin={NARROWEST}
      aria-valuemax={WIDEST}
      aria-valuenow={width}
      tabIndex={0}
      onDoubleClick={() => {
        setWidth(USUAL);
        remember(KEPT, USUAL);
      }}
    />
  );
}
