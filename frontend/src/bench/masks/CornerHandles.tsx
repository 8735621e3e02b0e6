import { useRef, useState, type PointerEvent } from "react";
import styled from "styled-components";
import type { Plate } from "../../api/client";
import { tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import type { Spot } from "../places";
import { snap, toPlate, toScreen, type Guide, type Placement, type Point } from "../view";

const Layer = styled.svg<{ $catches: boolean }>`
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  touch-action: none;
  outline: none;
  pointer-events: ${(p) => (p.$catches ? "all" : "none")};
  cursor: ${(p) => (p.$catches ? "crosshair" : "default")};
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
  g[role="button"] {
    pointer-events: all;
    cursor: move;
    outline: none;
    touch-action: none;
  }
  .grip {
    fill: transparent;
  }
  .dot {
    fill: ${tone.strong};
    stroke: rgb(0 0 0 / 0.6);
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
const DRAG_STEP = 12; // CSS pixels between the corners of an area that is drawn in one movement

function rounded(spot: Spot): Spot {
  return [Number(spot[0].toFixed(5)), Number(spot[1].toFixed(5))];
}

/** The corners of an area: drawn one after another by clicks or in one movement, then dragged, added to, removed. */
export function CornerHandles({ plate, placement, label, corners, free, open: isPath = false, directions, onChange }: Props) {
  const [making, setMaking] = useState(free && corners.length < (isPath ? 1 : 3));
  const [guides, setGuides] = useState<Guide[]>([]);
  const [moved, setMoved] = useState<{ index: number; to: Spot } | null>(null);
  const [drawn, setDrawn] = useState<Spot[]>([]);
  const [ahead, setAhead] = useState<Point | null>(null);
  const last = useRef<Point | null>(null);

  const shown = making ? [...corners, ...drawn] : corners.map((c, k) => (moved?.index === k ? moved.to : c));
  const at = shown.map((c) => toScreen(placement, plate, c));
  const place = (event: PointerEvent<SVGElement>): Point => {
    const box = (event.currentTarget.ownerSVGElement ?? event.currentTarget).getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  };
  const finish = () => {
    setMaking(false);
    setAhead(null);
    const all = [...corners, ...drawn].map(rounded);
    setDrawn([]);
    if (drawn.length > 0) onChange(all, "Draw an area");
  };
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
  const path = at.map((p, k) => `${k ? "L" : "M"}${p.x} ${p.y}`).join("");
  const open = making && ahead && at.length > 0 ? `L${ahead.x} ${ahead.y}` : "";

  return (
    <Layer
      $catches={making}
      role={making ? "application" : "group"}
      aria-label={making ? `${label}: click for each corner, double-click or press Enter to close` : label}
      tabIndex={making ? 0 : undefined}
      onPointerDown={(event) => {
        if (!making || event.button !== 0) return;
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        const to = place(event);
        const first = at[0];
        if (!isPath && at.length >= 3 && first && Math.hypot(to.x - first.x, to.y - first.y) < 10) {
          finish();
          return;
        }
        last.current = to;
        setDrawn((all) => [...all, toPlate(placement, plate, to)]);
      }}
      onPointerMove={(event) => {
        if (!making) return;
        const to = place(event);
        setAhead(to);
        if (last.current && Math.hypot(to.x - last.current.x, to.y - last.current.y) > DRAG_STEP) {
          last.current = to;
          setDrawn((all) => [...all, toPlate(placement, plate, to)]);
        }
      }}
      onPointerUp={() => {
        last.current = null;
      }}
      onDoubleClick={() => making && finish()}
      onKeyDown={(event) => {
        if (making && event.key === "Enter") finish();
      }}
    >
      {["shadow", "rim"].map((c) => (
        <path key={c} className={c} d={path ? `${path}${open}${making || isPath ? "" : "Z"}` : ""} />
      ))}
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
              onMove={(to) => setMoved({ index, to: toPlate(placement, plate, snapped(index, to)) })}
              onStep={(across, down) =>
                onChange(
                  corners.map((c, k) => (k === index ? rounded([c[0] + across * STEP, c[1] + down * STEP]) : c)),
                  "Move a corner",
                )
              }
              onRest={() => {
                if (moved)
                  onChange(
                    corners.map((c, k) => (k === moved.index ? rounded(moved.to) : c)),
                    "Move a corner",
                  );
                setMoved(null);
                setGuides([]);
              }}
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
    </Layer>
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
  const handle = useHandle({ at, onMove, onStep, onRest });
  const live = making ? {} : handle;
  return (
    <g
      role="button"
      tabIndex={making ? undefined : 0}
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
