import { useRef } from "react";
import { mergeProps, useMove } from "react-aria";
import { useHelp } from "./help";

interface At {
  x: number;
  y: number;
}

interface Handle {
  /** Where the handle is, in CSS pixels; asked for when it is taken hold of, where it depends on what is laid out. */
  at: At | (() => At);
  /** Dragged there; `straight` while it is held level or plumb. */
  onMove: (to: At, straight: boolean) => void;
  /** Moved by an arrow key: one step to the right or down, ten with Shift. */
  onStep?: (across: number, down: number) => void;
  /** The hand has let go, or an arrow key was pressed. */
  onRest: () => void;
  /** With Shift it stays level or plumb with where it was taken hold of; Ctrl moves it finely then. */
  axes?: boolean;
}

const FAR = 10; // steps at once with Shift
const FINE = 0.1; // of the pointer's way, with Shift
const STRAIGHT = "Held level or plumb. Let Shift go to move freely; Ctrl moves finely.";

/** The nearest place to `to` that is level or plumb with `from`. */
function onAxis(from: At, to: At): At {
  return Math.abs(to.x - from.x) >= Math.abs(to.y - from.y) ? { x: to.x, y: from.y } : { x: from.x, y: to.y };
}

/** What is dragged by pointer or arrow keys: sliders, handles on the picture, the crop, levels, the split, the view.
 * With Shift the pointer moves it finely. */
export function useHandle({ at, onMove, onStep, onRest, axes = false }: Handle) {
  const place = useHelp();
  const begun = useRef<At>({ x: 0, y: 0 });
  const held = useRef<At>({ x: 0, y: 0 });
  const straight = useRef(false);
  const hold = (now: boolean) => {
    if (straight.current !== now) place?.help(now ? STRAIGHT : null);
    straight.current = now;
  };
  const { moveProps } = useMove({
    onMoveStart: () => {
      held.current = begun.current = typeof at === "function" ? at() : at;
    },
    onMove: (event) => {
      if (event.pointerType === "keyboard") {
        const by = event.shiftKey ? FAR : 1;
        onStep?.(Math.sign(event.deltaX) * by, Math.sign(event.deltaY) * by);
        return;
      }
      const way = (axes ? event.ctrlKey : event.shiftKey) ? FINE : 1;
      held.current = { x: held.current.x + event.deltaX * way, y: held.current.y + event.deltaY * way };
      hold(axes && event.shiftKey);
      onMove(straight.current ? onAxis(begun.current, held.current) : held.current, straight.current);
    },
    onMoveEnd: () => {
      hold(false);
      onRest();
    },
  });
  // Handles lie on things that are dragged too, and their arrow keys are their own.
  return mergeProps(moveProps, { onPointerDown: stop, onKeyDown: stopArrows });
}

function stop(event: { stopPropagation: () => void }): void {
  event.stopPropagation();
}

function stopArrows(event: { key: string; stopPropagation: () => void }): void {
  if (event.key.startsWith("Arrow")) event.stopPropagation();
}
