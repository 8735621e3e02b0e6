import { useEffect, useRef, type RefObject } from "react";
import { useBench } from "../store/bench";
import { placementNow } from "../store/selectors";

/** Two fingers zoom and move the view. Gives a function that tells whether they are at it. */
export function usePinch(area: RefObject<HTMLElement | null>): () => boolean {
  const { now, viewing } = useBench();
  const fingers = useRef(new Map<number, { x: number; y: number }>());
  useEffect(() => {
    const element = area.current;
    const touching = fingers.current;
    const spread = () => {
      const [a, b] = [...touching.values()];
      return a && b ? { apart: Math.hypot(a.x - b.x, a.y - b.y), middle: { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 } } : null;
    };
    const place = (event: PointerEvent) => {
      const box = element?.getBoundingClientRect();
      return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
    };
    const down = (event: PointerEvent) => {
      if (event.pointerType !== "touch") return;
      touching.set(event.pointerId, place(event));
      // What the first finger had begun is no stroke and no drag.
      if (touching.size === 2) event.stopPropagation();
    };
    const move = (event: PointerEvent) => {
      if (!touching.has(event.pointerId)) return;
      const before = spread();
      touching.set(event.pointerId, place(event));
      const after = spread();
      const placement = placementNow(now());
      if (!before || !after || !placement || before.apart === 0) return;
      viewing.put({
        ...placement,
        x: placement.x + after.middle.x - before.middle.x,
        y: placement.y + after.middle.y - before.middle.y,
      });
      viewing.zoomBy(after.apart / before.apart, after.middle);
    };
    const up = (event: PointerEvent) => touching.delete(event.pointerId);
    element?.addEventListener("pointerdown", down, { capture: true });
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", up);
    window.addEventListener("pointercancel", up);
    return () => {
      element?.removeEventListener("pointerdown", down, { capture: true });
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", up);
      window.removeEventListener("pointercancel", up);
    };
  }, [area, now, viewing]);
  return () => fingers.current.size > 1;
}
