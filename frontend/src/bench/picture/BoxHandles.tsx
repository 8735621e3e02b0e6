import { useRef, useState } from "react";
import styled from "styled-components";
import type { Plate } from "../../api/client";
import { tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import { useNow } from "../store/bench";
import type { Spot } from "../store/places";
import { paneNow, placementNow } from "../store/selectors";
import { Overlay } from "./handles/Overlay";
import { toPlate, toScreen, type Placement, type Point } from "./view";

const Box = styled(Overlay)`
  touch-action: none;
  .frame {
    fill: none;
    stroke: ${tone.strong};
    stroke-opacity: 0.7;
    stroke-dasharray: 6 4;
  }
  .edge {
    fill: none;
    stroke: transparent;
    stroke-width: 10;
    pointer-events: stroke;
    cursor: move;
    outline: none;
  }
  .edge:focus-visible {
    stroke: ${tone.accent};
    stroke-opacity: 0.3;
  }
  .stem {
    stroke: ${tone.strong};
    stroke-opacity: 0.7;
  }
  .dot {
    fill: ${tone.base};
    stroke: ${tone.strong};
    stroke-width: 1.5;
  }
  g[role="button"]:focus-visible .dot {
    stroke: ${tone.accent};
    stroke-width: 2.5;
  }
`;

/** What is done to everything in the box: where each place goes, and by how much lengths grow. */
export interface Carried {
  place: (spot: Spot) => Spot;
  scale: number;
}

interface Props {
  plate: Plate;
  placement: Placement;
  label: string;
  /** All places within the box. */
  spots: Spot[];
  /** Applied to what was there when the hand took hold. */
  onCarry: (carried: Carried) => void;
  /** The hand takes hold. */
  onTake: () => void;
  onRest: (label: string) => void;
}

const ROOM = 22; // CSS pixels round the places
const STEM = 26; // CSS pixels from the box to the grip that turns it
const EDGE = 14; // CSS pixels from the pane's edge within which a grip stays in reach
const SMALLEST = 0.05;
const STEP = 4; // CSS pixels by an arrow key
const TURN = Math.PI / 180; // by an arrow key
const GROW = 0.02; // by an arrow key

/** A box round many places, by which all of them are moved, turned and scaled at once. */
export function BoxHandles({ plate, placement, label, spots, onCarry, onTake, onRest }: Props) {
  // While it is dragged the box is what it was, carried along.
  const [held, setHeld] = useState<((p: Point) => Point) | null>(null);
  // The angle (radians) to which it was turned stays the box's own, as long as it is round the same places.
  const [angle, setAngle] = useState({ of: spots.length, turned: 0 });
  const own = angle.of === spots.length ? angle.turned : 0;
  const kept = useRef<Point[]>([]);
  const shown = held
    ? kept.current
    : cornersOf(
        spots.map((spot) => toScreen(placement, plate, spot)),
        own,
      );
  const corners = held ? shown.map(held) : shown;
  const pane = useNow(paneNow);
  const view = useNow(placementNow);
  const inReach = (at: Point): Point =>
    view ? { x: within(at.x, -view.x, pane.x - view.x), y: within(at.y, -view.y, pane.y - view.y) } : at;
  const [a, b, c, d] = corners as [Point, Point, Point, Point];
  const middle = { x: (a.x + c.x) / 2, y: (a.y + c.y) / 2 };

  const take = () => {
    kept.current = corners;
    onTake();
  };
  const carry = (map: (p: Point) => Point, scale: number) => {
    setHeld(() => map);
    onCarry({ place: (spot) => toPlate(placement, plate, map(toScreen(placement, plate, spot))), scale });
  };
  const rest = (done: string) => {
    setHeld(null);
    onRest(done);
  };
  /** One step of an arrow key, which is a whole movement. */
  const once = (map: (p: Point) => Point, scale: number) => {
    take();
    carry(map, scale);
  };
  const moved = (by: Point) => (p: Point) => ({ x: p.x + by.x, y: p.y + by.y });
  const turned = (about: Point, angle: number) => (p: Point) => ({
    x: about.x + (p.x - about.x) * Math.cos(angle) - (p.y - about.y) * Math.sin(angle),
    y: about.y + (p.x - about.x) * Math.sin(angle) + (p.y - about.y) * Math.cos(angle),
  });
  const grown = (about: Point, by: number) => (p: Point) => ({ x: about.x + (p.x - about.x) * by, y: about.y + (p.y - about.y) * by });

  const from = useRef<Point>({ x: 0, y: 0 });
  const whole = useHandle({
    at: () => {
      take();
      from.current = middle;
      return middle;
    },
    onMove: (to) => carry(moved({ x: to.x - from.current.x, y: to.y - from.current.y }), 1),
    onStep: (across, down) => once(moved({ x: across * STEP, y: down * STEP }), 1),
    onRest: () => rest(`Move ${label}`),
  });
  const up = { x: (a.x + b.x) / 2 - middle.x, y: (a.y + b.y) / 2 - middle.y };
  const high = Math.hypot(up.x, up.y) || 1;
  const knob = { x: middle.x + (up.x / high) * (high + STEM), y: middle.y + (up.y / high) * (high + STEM) };
  const grip = inReach(knob);
  const about = useRef<Point>(middle);
  const by = useRef(0);
  const turning = useHandle({
    at: () => {
      take();
      about.current = middle;
      from.current = knob;
      return knob;
    },
    onMove: (to) => {
      const m = about.current;
      by.current = Math.atan2(to.y - m.y, to.x - m.x) - Math.atan2(from.current.y - m.y, from.current.x - m.x);
      carry(turned(m, by.current), 1);
    },
    onStep: (across, down) => {
      by.current = (across + down) * TURN;
      once(turned(middle, by.current), 1);
    },
    onRest: () => {
      setAngle({ of: spots.length, turned: own + by.current });
      by.current = 0;
      rest(`Turn ${label}`);
    },
  });
  return (
    <Box role="group" aria-label={`Box round ${label}`}>
      <path className="frame" d={outline(corners)} />
      <path className="edge" role="button" tabIndex={0} aria-label={`Move all: ${label}`} d={outline(corners)} {...whole} />
      <line className="stem" x1={(a.x + b.x) / 2} y1={(a.y + b.y) / 2} x2={grip.x} y2={grip.y} />
      <g role="button" tabIndex={0} aria-label={`Turn all: ${label}`} transform={`translate(${grip.x} ${grip.y})`} {...turning}>
        <circle className="grip" r={11} />
        <circle className="dot" r={5} />
      </g>
      {[a, b, c, d].map((corner, k) => (
        <Scaler
          key={k}
          at={corner}
          drawn={inReach(corner)}
          opposite={corners[(k + 2) % 4] ?? middle}
          label={`Scale all: ${label}, corner ${k + 1}`}
          onTake={take}
          onGrow={(pivot, by) => carry(grown(pivot, by), by)}
          onStep={(pivot, by) => once(grown(pivot, by), by)}
          onRest={() => rest(`Scale ${label}`)}
        />
      ))}
    </Box>
  );
}

interface ScalerProps {
  at: Point;
  /** Where its grip is, so that it is in reach. */
  drawn: Point;
  opposite: Point;
  label: string;
  onTake: () => void;
  onGrow: (pivot: Point, by: number) => void;
  onStep: (pivot: Point, by: number) => void;
  onRest: () => void;
}

/** A corner of the box; the opposite one stays where it is. */
function Scaler({ at, drawn, opposite, label, onTake, onGrow, onStep, onRest }: ScalerProps) {
  const begun = useRef({ at, pivot: opposite });
  const handle = useHandle({
    at: () => {
      onTake();
      begun.current = { at, pivot: opposite };
      return at;
    },
    onMove: (to) => {
      const { at: first, pivot } = begun.current;
      const way = { x: first.x - pivot.x, y: first.y - pivot.y };
      const by = ((to.x - pivot.x) * way.x + (to.y - pivot.y) * way.y) / (way.x * way.x + way.y * way.y);
      onGrow(pivot, Math.max(SMALLEST, by));
    },
    onStep: (across, down) => onStep(opposite, Math.max(SMALLEST, 1 + (across - down) * GROW)),
    onRest,
  });
  return (
    <g role="button" tabIndex={0} aria-label={label} transform={`translate(${drawn.x} ${drawn.y})`} {...handle}>
      <circle className="grip" r={10} />
      <rect className="dot" x={-4} y={-4} width={8} height={8} />
    </g>
  );
}

/** A coordinate of a grip, kept on the pane from `low` to `high`. */
function within(at: number, low: number, high: number): number {
  return Math.max(low + EDGE, Math.min(high - EDGE, at));
}

function turnedBy(angle: number): (p: Point) => Point {
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  return (p) => ({ x: p.x * cos - p.y * sin, y: p.x * sin + p.y * cos });
}

/** The corners of the box round points at an angle, from the left upper one on. */
function cornersOf(points: Point[], angle: number): Point[] {
  const upright = points.map(turnedBy(-angle));
  const x = upright.map((p) => p.x);
  const y = upright.map((p) => p.y);
  const [left, right] = [least(x) - ROOM, -least(x.map((v) => -v)) + ROOM];
  const [top, bottom] = [least(y) - ROOM, -least(y.map((v) => -v)) + ROOM];
  return [
    { x: left, y: top },
    { x: right, y: top },
    { x: right, y: bottom },
    { x: left, y: bottom },
  ].map(turnedBy(angle));
}

function least(values: number[]): number {
  // Not spread into Math.min: a painting may have more points than a call has room for.
  return values.reduce((a, b) => Math.min(a, b), Infinity);
}

function outline(corners: Point[]): string {
  return `${corners.map((p, k) => `${k ? "L" : "M"}${p.x} ${p.y}`).join("")}Z`;
}
