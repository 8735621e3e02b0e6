import { useState } from "react";
import type { Facts, Plate } from "../../api/client";
import { useHandle } from "../../ui/useHandle";
import { useBench, useNow } from "../store/bench";
import { placementAtOrigin } from "../store/selectors";
import { toPlate, toScreen, type Placement, type Point } from "./view";

type Found = NonNullable<NonNullable<Facts["of_light"]>["points"]>[number];

interface Props {
  light: string;
  points: Found[];
}

const STILL = 4; // CSS pixels that a press may wander and still be a click
const STEP = 0.005; // of the plate, by an arrow key

/** Points of light on the picture: click one to switch it off or on, drag it to move it, Delete to remove it. */
export function PointHandles({ light, points }: Props) {
  const { now, editing } = useBench();
  const { ask } = editing;
  const plate = now().plate;
  const placement = useNow(placementAtOrigin);
  if (!placement) return null;
  return points.map((point, index) => (
    <OnePoint
      key={`${point.x} ${point.y}`}
      plate={plate}
      placement={placement}
      point={point}
      number={index + 1}
      onToggle={() => ask({ do: "point", light, act: "toggle", place: [point.x, point.y], found: point.found, on: point.on })}
      onMove={(to) => ask({ do: "point", light, act: "move", place: [point.x, point.y], to, found: point.found, on: point.on })}
    />
  ));
}

interface OneProps {
  plate: Plate;
  placement: Placement;
  point: Found;
  number: number;
  onToggle: () => void;
  onMove: (to: [number, number]) => void;
}

function OnePoint({ plate, placement, point, number, onToggle, onMove }: OneProps) {
  const [moved, setMoved] = useState<Point | null>(null);
  const from = toScreen(placement, plate, [point.x, point.y]);
  const at = moved ?? from;
  const name = point.found ? `Point of light ${number}, ${point.on ? "on" : "off"}` : `Placed point ${number}`;
  const handle = useHandle({
    at: from,
    onMove: setMoved,
    axes: true,
    onStep: (across, down) => onMove([point.x + across * STEP, point.y + down * STEP]),
    onRest: () => {
      if (moved && Math.hypot(moved.x - from.x, moved.y - from.y) >= STILL) onMove(toPlate(placement, plate, moved));
      setMoved(null);
    },
  });
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={name}
      aria-pressed={point.on}
      data-keys="Delete"
      transform={`translate(${at.x} ${at.y})`}
      {...handle}
      onClick={() => !moved && onToggle()}
      onKeyDown={(event) => {
        handle.onKeyDown(event);
        if (event.key !== "Enter" && event.key !== " " && event.key !== "Delete") return;
        event.preventDefault();
        event.stopPropagation();
        onToggle();
      }}
    >
      <circle className="grip" r={12} />
      <path className="halo" d="M-7 0H-3M3 0H7M0-7V-3M0 3V7" />
      <path className="line" d="M-7 0H-3M3 0H7M0-7V-3M0 3V7" strokeOpacity={point.on ? 1 : 0.35} />
      {!point.found && <circle className="line" r={9} />}
    </g>
  );
}
