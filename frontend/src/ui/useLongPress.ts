import { useEffect, useRef, type PointerEvent } from "react";

const LONG = 500; // ms
const STILL = 8; // CSS pixels by which a finger may move and still rest

/** A finger that rests on something does what a right click does. */
export function useLongPress(act: () => void) {
  const timer = useRef(0);
  const begun = useRef({ x: 0, y: 0 });
  const stop = () => window.clearTimeout(timer.current);
  useEffect(() => stop, []);
  return {
    onPointerDown: (event: PointerEvent) => {
      stop();
      if (event.pointerType !== "touch") return;
      begun.current = { x: event.clientX, y: event.clientY };
      timer.current = window.setTimeout(act, LONG);
    },
    onPointerMove: (event: PointerEvent) => {
      if (Math.hypot(event.clientX - begun.current.x, event.clientY - begun.current.y) > STILL) stop();
    },
    onPointerUp: stop,
    onPointerCancel: stop,
  };
}
