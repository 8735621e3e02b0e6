import { useEffect, useRef, type KeyboardEvent, type PointerEvent } from "react";
import styled from "styled-components";
import { focusRing, tone } from "./theme";
import { useHandle } from "./useHandle";

const Track = styled.div`
  position: relative;
  width: 100%;
  /* Wide enough to be hit; it lies over the room between rows. */
  height: 24px;
  margin: -3px 0;
  touch-action: none;
  &::before {
    content: "";
    position: absolute;
    inset: 11px 0;
    border-radius: 1px;
    background: ${tone.line};
  }
  .fill {
    position: absolute;
    top: 11px;
    height: 2px;
    background: ${tone.faint};
  }
  .origin {
    position: absolute;
    top: 8px;
    width: 1px;
    height: 8px;
    background: ${tone.faint};
  }
  .thumb {
    position: absolute;
    top: 5px;
    width: 9px;
    height: 15px;
    margin-left: -4.5px;
    border-radius: 2px;
    background: ${tone.text};
    outline: none;
  }
  /* A finger's or an unsteady hand's room round it. */
  .thumb::after {
    content: "";
    position: absolute;
    inset: -5px -8px;
  }
  &:hover .thumb {
    background: ${tone.strong};
  }
  &:active .thumb {
    background: ${tone.accent};
  }
  .thumb:focus-visible {
    ${focusRing}
  }
  @media (forced-colors: active) {
    forced-color-adjust: none;
    &::before {
      background: GrayText;
    }
    .fill,
    .origin {
      background: CanvasText;
    }
    .thumb {
      background: ButtonText;
    }
    &:active .thumb {
      background: Highlight;
    }
  }
`;

interface Props {
  label: string;
  value: number;
  /** The value as a person reads it. */
  text: string;
  low: number;
  high: number;
  step: number;
  exponent?: number;
  origin?: number;
  onChange: (value: number) => void;
  onRest: () => void;
}

const PAGE = 10; // steps
const NOTCHES_REST = 300; // ms without a notch of the wheel after which it rests

/** A slider whose value is a power of its travel, so that small values get more of it. Dragged, finely with Shift; moved by
 * arrow keys, and by the wheel while it has the keyboard. */
export function Slider({ label, value, text, low, high, step, exponent = 1, origin, onChange, onRest }: Props) {
  const track = useRef<HTMLDivElement>(null);
  const thumb = useRef<HTMLDivElement>(null);
  const within = (v: number) => Math.min(high, Math.max(low, Number(v.toFixed(6))));
  const travelOf = (v: number) => Math.pow((Math.min(high, Math.max(low, v)) - low) / (high - low), 1 / exponent);
  const valueAt = (travel: number) =>
    within(Math.round((low + (high - low) * Math.pow(Math.min(1, Math.max(0, travel)), exponent)) / step) * step);
  const width = () => track.current?.getBoundingClientRect().width || 1;
  const travel = travelOf(value);
  const from = origin === undefined ? 0 : travelOf(origin);
  const to = (next: number) => {
    if (next !== value) onChange(next);
  };
  const handle = useHandle({
    at: () => ({ x: travel * width(), y: 0 }),
    onMove: (at) => to(valueAt(at.x / width())),
    onStep: (across, down) => to(within(value + (across - down) * step)),
    onRest,
  });

  const turned = useRef<{ by: (steps: number) => void; rest: () => void }>({ by: () => undefined, rest: onRest });
  useEffect(() => {
    turned.current = { by: (steps) => to(within(value + steps * step)), rest: onRest };
  });
  useEffect(() => {
    // React listens to the wheel passively, so that the column would scroll under the hand.
    const element = track.current;
    let timer = 0;
    const wheel = (event: WheelEvent) => {
      if (document.activeElement !== thumb.current) return;
      event.preventDefault();
      event.stopPropagation();
      const turn = event.deltaY || event.deltaX;
      turned.current.by(-Math.sign(turn) * (event.ctrlKey ? PAGE : 1));
      window.clearTimeout(timer);
      timer = window.setTimeout(() => turned.current.rest(), NOTCHES_REST);
    };
    element?.addEventListener("wheel", wheel, { passive: false });
    return () => {
      element?.removeEventListener("wheel", wheel);
      if (timer) turned.current.rest();
      window.clearTimeout(timer);
    };
  }, []);

  const press = (event: PointerEvent<HTMLDivElement>) => {
    if (event.button !== 0) return;
    thumb.current?.focus({ preventScroll: true });
    const box = event.currentTarget.getBoundingClientRect();
    if (event.target !== thumb.current) {
      to(valueAt((event.clientX - box.left) / box.width));
      window.addEventListener("pointerup", onRest, { once: true });
    }
    handle.onPointerDown(event);
  };
  const key = (event: KeyboardEvent<HTMLDivElement>) => {
    const jumps: Record<string, number> = { Home: low, End: high, PageUp: value + PAGE * step, PageDown: value - PAGE * step };
    const jump = jumps[event.key];
    if (jump !== undefined) {
      event.preventDefault();
      to(within(jump));
      onRest();
    } else handle.onKeyDown(event);
  };
  return (
    <Track ref={track} role="group" aria-label={label} onPointerDown={press}>
      <span className="fill" style={{ left: `${Math.min(from, travel) * 100}%`, width: `${Math.abs(travel - from) * 100}%` }} />
      {from > 0 && from < 1 && <span className="origin" style={{ left: `${from * 100}%` }} />}
      <div
        ref={thumb}
        className="thumb"
        role="slider"
        tabIndex={0}
        aria-label={label}
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuenow={value}
        aria-valuetext={text}
        style={{ left: `${travel * 100}%` }}
        onKeyDown={key}
      />
    </Track>
  );
}
