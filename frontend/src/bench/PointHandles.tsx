import { useRef, useState } from "react";
import type { Facts, Plate } from "../api/client";
import { rounded, type PointLists, type Spot } from "./places";
import { toPlate, toScreen, type Placement, type Point } from "./view";

type Found = NonNullable<NonNullable<Facts["of_light"]>["points"]>[number];

interface Props {
  plate: Plate;
  placement: Placement;
  points: Found[];
  lists: PointLists;
  onChange: (lists: PointLists, label: string) => void;
}

const STILL = 4; // CSS pixels that a press may wander and still be a click

function without(list: Spot[], spot: Found): Spot[] {
  const away = (s: Spot) => Math.hypot(s[0] - spot.x, s[1] - spot.y);
  const nearest = Math.min(...list.map(away));
  return list.filter((s) => away(s) > nearest);
}

/** Points of light on the picture: click one to switch it off or on, drag it to move it, Delete to remove it. */
export function PointHandles({ plate, placement, points, lists, onChange }: Props) {
  const [moved, setMoved] = useState<{ index: number; to: Point } | null>(null);
  const held = useRef<Point | null>(null);

  const toggle = (point: Found) => {
    if (!point.found) onChange({ ...lists, placed: without(lists.placed, point) }, "Remove a point");
    else if (point.on) onChange({ ...lists, hidden: [...lists.hidden, [point.x, point.y]] }, "Switch a point off");
    else onChange({ ...lists, hidden: without(lists.hidden, point) }, "Switch a point on");
  };
  const move = (point: Found, to: Spot) => {
    const spot = rounded(to);
    if (point.found) onChange({ placed: [...lists.placed, spot], hidden: point.on ? [...lists.hidden, [point.x, point.y]] : lists.hidden }, "Move a point");
    else onChange({ ...lists, placed: [...without(lists.placed, point), spot] }, "Move a point");
  };

  return (
    <>
      {points.map((point, index) => {
        const at = moved?.index === index ? moved.to : toScreen(placement, plate, [point.x, point.y]);
        const name = point.found ? `Point of light ${index + 1}, ${point.on ? "on" : "off"}` : `Placed point ${index + 1}`;
        return (
          <g
            key={`${point.x} ${point.y}`}
            role="button"
            tabIndex={0}
            aria-label={name}
            aria-pressed={point.on}
            transform={`translate(${at.x} ${at.y})`}
            onPointerDown={(event) => {
              if (event.button !== 0) return;
              event.stopPropagation();
              event.currentTarget.setPointerCapture(event.pointerId);
              held.current = { x: event.clientX - at.x, y: event.clientY - at.y };
            }}
            onPointerMove={(event) => held.current && setMoved({ index, to: { x: event.clientX - held.current.x, y: event.clientY - held.current.y } })}
            onPointerUp={() => {
              const from = toScreen(placement, plate, [point.x, point.y]);
              const to = moved?.to ?? from;
              held.current = null;
              setMoved(null);
              if (Math.hypot(to.x - from.x, to.y - from.y) < STILL) toggle(point);
              else move(point, toPlate(placement, plate, to));
            }}
            onKeyDown={(event) => {
              if (event.key !== "Enter" && event.key !== " " && event.key !== "Delete") return;
              event.preventDefault();
              event.stopPropagation();
              toggle(point);
            }}
          >
            <circle className="grip" r={12} />
            <path className="halo" d="M-7 0H-3M3 0H7M0-7V-3M0 3V7" />
            <path className="line" d="M-7 0H-3M3 0H7M0-7V-3M0 3V7" strokeOpacity={point.on ? 1 : 0.35} />
            {!point.found && <circle className="line" r={9} />}
          </g>
        );
      })}
    </>
  );
}
