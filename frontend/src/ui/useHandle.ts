import { useRef } from "react";
import { mergeProps, useMove } from "react-aria";

interface At {
  x: number;
  y: number;
}

interface Handle {
  /** Where the handle is, in CSS pixels; asked for when it is taken hold of, where it depends on what is laid out. */
  at: At | (() => At);
  /** Dragged there. */
  onMove: (to: At) => void;
  /** Moved by an arrow key: one step to the right or down, ten with Shift. */
  onStep?: (across: number, down: number) => void;
  /** The hand has let go, or an arrow key was pressed. */
  onRest: () => void;
}

const FAR = 10; // steps at once with Shift
const FINE = 0.1; // of the pointer's way, with Shift

/** What is dragged by pointer or arrow keys: sliders, handles on the picture, the crop, levels, the split, the view.
 * With Shift the pointer moves it finely. */
export function useHandle({ at, onMove, onStep, onRest }: Handle) {
  const held = useRef<At>({ x: 0, y: 0 });
  const { moveProps } = useMove({
    onMoveStart: () => {
      held.current = typeof at === "function" ? at() : at;
    },
    onMove: (event) => {
      if (event.pointerType === "keyboard") {
        const by = event.shiftKey ? FAR : 1;
        onStep?.(Math.sign(event.deltaX) * by, Math.sign(event.deltaY) * by);
        return;
      }
      const way = event.shiftKey ? FINE : 1;
      held.current = { x: held.current.x + event.deltaX * way, y: held.current.y + event.deltaY * way };
      onMove(held.current);
    },
    onMoveEnd: onRest,
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
