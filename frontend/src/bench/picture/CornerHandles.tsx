import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import type { Plate } from "../../api/client";
import { tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import type { Spot } from "../store/places";
import { Overlay } from "./handles/Overlay";
import { EVERYWHERE, onLayer } from "./place";
import { snap, toPlate, toScreen, type Guide, type Placement, type Point } from "./view";

const Area = styled(Overlay)`
  touch-action: none;
  .catches {
    cursor: crosshair;
  }
  .rim {
    fill: none;
    stroke: ${tone.strong};
    stroke-width: 1.25;
  }
  .shadow {
    fill: none;
    stroke: rgb(0 0 0 / 0.55);
    stroke-width: 3;
  }
  .body {
    fill: none;
    stroke: transparent;
    stroke-width: 16;
    pointer-events: stroke;
    cursor: move;
    outline: none;
  }
  .body:focus-visible {
    stroke: ${tone.accent};
    stroke-opacity: 0.25;
  }
  .guide {
    stroke: ${tone.accent};
    stroke-width: 1;
    stroke-dasharray: 4 4;
  }
  .between {
    fill: none;
    stroke: ${tone.strong};
    stroke-width: 1.25;
  }
  g[role="button"]:focus-visible .dot {
    fill: ${tone.accent};
  }
`;

interface Props {
  plate: Plate;
  placement: Placement;
  label: string;
  corners: Spot[];
  /** Corners can be added and removed; else their number stays. */
  free: boolean;
  /** A path has two ends, and one point of it is enough. */
  open?: boolean;
  /** A path that is dragged snaps to level, plumb, the frame's middle, and these directions (degrees). */
  directions?: number[];
  onChange: (corners: Spot[], label: string) => void;
}

const STEP = 0.005;
const CLOSE = 10; // CSS pixels from the first corner within which a click closes the area
const SAME = 4; // CSS pixels within which two presses are one corner
const DRAG_STEP = 12; // CSS pixels between the corners of an area that is drawn in one movement

function rounded(spot: Spot): Spot {
  return [Number(spot[0].toFixed(5)), Number(spot[1].toFixed(5))];
}

/** The corners of an area: drawn one after another by clicks or in one movement, then dragged, added to, removed; all of
 * it is dragged by its outline. What is drawn counts as soon as there is enough of it. */
export function CornerHandles({ plate, placement, label, corners, free, open: isPath = false, directions, onChange }: Props) {
  const least = isPath ? 2 : 3;
  const [making, setMaking] = useState(free && corners.length < (isPath ? 1 : 3));
  const [guides, setGuides] = useState<Guide[]>([]);
  const [moved, setMoved] = useState<Spot[] | null>(null);
  const [drawn, setDrawn] = useState<Spot[]>([]);
  const [ahead, setAhead] = useState<Point | null>(null);
  const last = useRef<Point | null>(null);
  const pressed = useRef(false);

  const shown = making ? drawn : (moved ?? corners);
  const at = shown.map((c) => toScreen(placement, plate, c));
  const finish = () => {
    setMaking(false);
    setAhead(null);
    setDrawn([]);
    if (drawn.length > 0 && drawn.length < least) onChange(drawn.map(rounded), "Draw an area");
  };
  useEffect(() => {
    // Cleared, it is drawn anew.
    if (!free || corners.length > 0) return;
    setMaking(true);
    setDrawn([]);
  }, [free, corners.length]);
  const put = (to: Point) => {
    // A double-click is one corner.
    if (last.current && drawn.length > 0 && Math.hypot(to.x - last.current.x, to.y - last.current.y) < SAME) return;
    const next = [...drawn, toPlate(placement, plate, to)];
    setDrawn(next);
    last.current = to;
  };
  /** Keeps what is drawn, once it is an area. */
  const keep = () => {
    pressed.current = false;
    if (drawn.length >= least) onChange(drawn.map(rounded), "Draw an area");
  };
  const done = useRef(finish);
  useEffect(() => {
    done.current = finish;
  });
  useEffect(() => {
    if (!making) return;
    const key = (event: KeyboardEvent) => {
      if (event.key === "Enter") done.current();
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [making]);

  const snapped = (index: number, to: Point): Point => {
    if (!directions) return to;
    const beside = [at[index - 1], at[index + 1]].filter((p) => p !== undefined);
    const held = snap(
      to,
      beside,
      toScreen(placement, plate, [0.5, 0.5]),
      directions.map((d) => d + placement.angle),
    );
    setGuides(held.guides);
    return held.at;
  };
  const rest = () => {
    if (moved) onChange(moved.map(rounded), "Move a corner");
    setMoved(null);
    setGuides([]);
  };
  const path = at.map((p, k) => `${k ? "L" : "M"}${p.x} ${p.y}`).join("");
  const outline = path ? `${path}${making || isPath ? "" : "Z"}` : "";
  const first = at[0] ?? { x: 0, y: 0 };
  const whole = useHandle({
    at: first,
    onMove: (to) => {
      const [x, y] = toPlate(placement, plate, to);
      const from = corners[0] ?? [0, 0];
      setMoved(corners.map((c): Spot => [c[0] + x - from[0], c[1] + y - from[1]]));
    },
    onStep: (across, down) =>
      onChange(
        corners.map((c) => rounded([c[0] + across * STEP, c[1] + down * STEP])),
        "Move all of it",
      ),
    axes: true,
    onRest: () => {
      if (moved) onChange(moved.map(rounded), "Move all of it");
      setMoved(null);
    },
  });

  return (
    <Area role="group" aria-label={label}>
      {making && (
        <rect
          className="catches"
          {...EVERYWHERE}
          role="application"
          aria-label={`${label}: click for each corner; double-click, press Enter or click the first corner to close`}
          onPointerDown={(event) => {
            if (event.button !== 0) return;
            event.stopPropagation();
            event.currentTarget.setPointerCapture(event.pointerId);
            const to = onLayer(event);
            if (!isPath && at.length >= least && Math.hypot(to.x - first.x, to.y - first.y) < CLOSE) {
              finish();
              return;
            }
            pressed.current = true;
            put(to);
          }}
          onPointerMove={(event) => {
            const to = onLayer(event);
            setAhead(to);
            if (pressed.current && last.current && Math.hypot(to.x - last.current.x, to.y - last.current.y) > DRAG_STEP) put(to);
          }}
          onPointerUp={keep}
          onDoubleClick={finish}
        />
      )}
      {["shadow", "rim"].map((c) => (
        <path key={c} className={c} d={making && ahead && path ? `${path}L${ahead.x} ${ahead.y}` : outline} />
      ))}
      {!making && outline && (
        <path className="body" role="button" tabIndex={0} aria-label={`Move all of ${label}`} d={outline} {...whole} />
      )}
      {guides.map((g, k) => (
        <line key={k} className="guide" x1={g.x1} y1={g.y1} x2={g.x2} y2={g.y2} />
      ))}
      {at.map((p, index) => {
        const next = at[(index + 1) % at.length];
        const corner = shown[index];
        const following = shown[(index + 1) % shown.length];
        if (!corner || !next || !following) return null;
        return (
          <g key={index}>
            {free && !making && !(isPath && index === at.length - 1) && (
              <g
                role="button"
                aria-label={`Add a corner after corner ${index + 1}`}
                transform={`translate(${(p.x + next.x) / 2} ${(p.y + next.y) / 2})`}
                onPointerDown={(event) => {
                  event.stopPropagation();
                  const middle: Spot = [(corner[0] + following[0]) / 2, (corner[1] + following[1]) / 2];
                  onChange([...corners.slice(0, index + 1), rounded(middle), ...corners.slice(index + 1)], "Add a corner");
                }}
              >
                <circle className="grip" r={9} />
                <path className="between" d="M-3 0h6M0-3v6" />
              </g>
            )}
            <Corner
              at={p}
              index={index}
              making={making}
              onMove={(to) => {
                const here = toPlate(placement, plate, snapped(index, to));
                setMoved(corners.map((c, k) => (k === index ? here : c)));
              }}
              onStep={(across, down) =>
                onChange(
                  corners.map((c, k) => (k === index ? rounded([c[0] + across * STEP, c[1] + down * STEP]) : c)),
                  "Move a corner",
                )
              }
              onRest={rest}
              onRemove={
                free
                  ? () =>
                      onChange(
                        corners.filter((_, k) => k !== index),
                        "Remove a corner",
                      )
                  : undefined
              }
            />
          </g>
        );
      })}
    </Area>
  );
}

interface CornerProps {
  at: Point;
  index: number;
  making: boolean;
  onMove: (to: Point) => void;
  onStep: (across: number, down: number) => void;
  onRest: () => void;
  onRemove: (() => void) | undefined;
}

/** One corner, to be dragged; Delete removes it where their number is free. */
function Corner({ at, index, making, onMove, onStep, onRest, onRemove }: CornerProps) {
  const handle = useHandle({ at, onMove, onStep, onRest, axes: true });
  const live = making ? {} : handle;
  return (
    <g
      role="button"
      tabIndex={making ? undefined : 0}
      style={{ pointerEvents: making ? "none" : undefined }}
      data-keys="Delete"
      aria-label={`Corner ${index + 1}`}
      transform={`translate(${at.x} ${at.y})`}
      {...live}
      onKeyDown={(event) => {
        if (making) return;
        handle.onKeyDown(event);
        if (event.key !== "Delete" || !onRemove) return;
        event.preventDefault();
        event.stopPropagation();
        onRemove();
      }}
    >
      <circle className="grip" r={10} />
      <rect className="dot" x={-4} y={-4} width={8} height={8} />
    </g>
  );
}
