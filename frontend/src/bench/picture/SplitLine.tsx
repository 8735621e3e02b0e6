import { useRef } from "react";
import styled from "styled-components";
import { focusRing, tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import { useBench, useNow } from "../store/bench";

const Line = styled.div`
  position: absolute;
  top: 0;
  bottom: 0;
  width: 24px;
  margin-left: -12px;
  cursor: ew-resize;
  touch-action: none;
  outline: none;
  &::before {
    content: "";
    position: absolute;
    left: 11px;
    top: 0;
    bottom: 0;
    width: 2px;
    background: ${tone.strong};
    box-shadow: 0 0 0 1px rgb(0 0 0 / 0.4);
  }
  &::after {
    content: "";
    position: absolute;
    left: 5px;
    top: 50%;
    width: 14px;
    height: 14px;
    background: ${tone.strong};
    transform: rotate(45deg);
    border-radius: 2px;
  }
  &:focus-visible::after {
    ${focusRing} background: ${tone.accent};
  }
`;

const STEP = 0.02;

/** The line between two states of the picture, to be dragged. */
export function SplitLine() {
  const { store } = useBench();
  const at = useNow((s) => s.split);
  const line = useRef<HTMLDivElement>(null);
  const width = () => line.current?.parentElement?.clientWidth ?? 1;
  const set = (share: number) => store.setState({ split: Math.min(1, Math.max(0, share)) });
  const handle = useHandle({
    at: () => ({ x: at * width(), y: 0 }),
    onMove: (to) => set(to.x / width()),
    onStep: (across) => set(at + across * STEP),
    onRest: () => undefined,
  });
  return (
    <Line
      ref={line}
      role="slider"
      tabIndex={0}
      aria-label="Split between the two"
      aria-valuenow={Math.round(at * 100)}
      style={{ left: `${at * 100}%` }}
      {...handle}
    />
  );
}
