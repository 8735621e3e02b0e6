import type { Box, Plate, View } from "../../api/client";

/** A point or a size in CSS pixels of the picture area. */
export interface Point {
  x: number;
  y: number;
}

/** How the straightened frame lies in the picture area: `scale` CSS pixels to a plate pixel, its corner at `x`, `y`. */
export interface Placement extends Point {
  scale: number;
  /** Degrees by which the picture is turned within its frame, about its middle. */
  angle: number;
}

export const WHOLE: Box = { x0: 0, y0: 0, x1: 1, y1: 1 };

/** How closely a plate is fitted: it fills the area, or leaves the margin in which sources live. */
export type Fit = "close" | "wide";

const SURROUND: Record<Fit, number> = { close: 0.02, wide: 0.1 }; // share of the area kept free on each side
const NEAREST = 16;
const FARTHEST = 0.01;

export function fitted(area: Point, plate: Plate, angle: number, box: Box, fit: Fit): Placement {
  const free = 1 - 2 * SURROUND[fit];
  const width = plate.width * (box.x1 - box.x0);
  const height = plate.height * (box.y1 - box.y0);
  const scale = Math.max(Math.min((area.x * free) / width, (area.y * free) / height), FARTHEST);
  return {
    scale,
    angle,
    x: (area.x - width * scale) / 2 - box.x0 * plate.width * scale,
    y: (area.y - height * scale) / 2 - box.y0 * plate.height * scale,
  };
}

/** Zoomed by `factor` so that what is under `at` stays there. */
export function zoomed(placement: Placement, at: Point, factor: number): Placement {
  const scale = Math.min(NEAREST, Math.max(FARTHEST, placement.scale * factor));
  const k = scale / placement.scale;
  return { ...placement, scale, x: at.x - (at.x - placement.x) * k, y: at.y - (at.y - placement.y) * k };
}

/** Drawn back just so far that the whole plate and the places (plate fractions) are seen. */
export function including(area: Point, plate: Plate, angle: number, ...places: [number, number][]): Placement {
  const shown = places.map((place) => turned(plate, place, angle));
  const left = Math.min(0, ...shown.map((p) => p.x));
  const right = Math.max(plate.width, ...shown.map((p) => p.x));
  const top = Math.min(0, ...shown.map((p) => p.y));
  const bottom = Math.max(plate.height, ...shown.map((p) => p.y));
  const scale = Math.max(FARTHEST, Math.min((area.x * 0.84) / (right - left), (area.y * 0.84) / (bottom - top)));
  return { scale, angle, x: area.x / 2 - ((left + right) / 2) * scale, y: area.y / 2 - ((top + bottom) / 2) * scale };
}

/** Between two placements, as a share of the way; scales by equal factors, so that the eye sees one steady move. */
export function between(from: Placement, to: Placement, share: number): Placement {
  const scale = from.scale * Math.pow(to.scale / from.scale, share);
  const way = to.scale === from.scale ? share : (scale - from.scale) / (to.scale - from.scale);
  return { scale, angle: to.angle, x: from.x + (to.x - from.x) * way, y: from.y + (to.y - from.y) * way };
}

/** A place of the picture (fractions) in pixels of its frame, in which it is turned by `angle` degrees. */
function turned(plate: Plate, point: [number, number], angle: number): Point {
  const turn = (angle * Math.PI) / 180;
  const x = (point[0] - 0.5) * plate.width;
  const y = (point[1] - 0.5) * plate.height;
  return { x: x * Math.cos(turn) + y * Math.sin(turn) + plate.width / 2, y: y * Math.cos(turn) - x * Math.sin(turn) + plate.height / 2 };
}

export function toScreen(placement: Placement, plate: Plate, point: [number, number]): Point {
  const at = turned(plate, point, placement.angle);
  return { x: placement.x + at.x * placement.scale, y: placement.y + at.y * placement.scale };
}

export function toPlate(placement: Placement, plate: Plate, at: Point): [number, number] {
  const inFrame: [number, number] = [
    (at.x - placement.x) / (plate.width * placement.scale),
    (at.y - placement.y) / (plate.height * placement.scale),
  ];
  const back = turned(plate, inFrame, -placement.angle);
  return [back.x / plate.width, back.y / plate.height];
}

/** Where a box of the frame lies on the screen. */
export function boxOnScreen(placement: Placement, plate: Plate, box: Box): { left: number; top: number; width: number; height: number } {
  const across = plate.width * placement.scale;
  const down = plate.height * placement.scale;
  return {
    left: placement.x + box.x0 * across,
    top: placement.y + box.y0 * down,
    width: (box.x1 - box.x0) * across,
    height: (box.y1 - box.y0) * down,
  };
}

/** A line on the screen that something was drawn to. */
export interface Guide {
  x1: number;
  y1: number;
  x2: number;
  y2: number;
}

const SNAP = 7; // CSS pixels
const LONG = 4000;

/** A point drawn to level or plumb with its neighbours, to the frame's middle, or to a direction from a neighbour. */
export function snap(to: Point, beside: Point[], middle: Point, directions: number[]): { at: Point; guides: Guide[] } {
  const at = { ...to };
  const guides: Guide[] = [];
  for (const other of beside) {
    for (const degrees of directions) {
      const turn = (-degrees * Math.PI) / 180;
      const along = { x: Math.cos(turn), y: Math.sin(turn) };
      const off = (to.x - other.x) * -along.y + (to.y - other.y) * along.x;
      const far = (to.x - other.x) * along.x + (to.y - other.y) * along.y;
      if (guides.length > 0 || Math.abs(off) > SNAP || Math.abs(far) < 4 * SNAP) continue;
      at.x = other.x + far * along.x;
      at.y = other.y + far * along.y;
      guides.push({
        x1: other.x - along.x * LONG,
        y1: other.y - along.y * LONG,
        x2: other.x + along.x * LONG,
        y2: other.y + along.y * LONG,
      });
    }
  }
  if (guides.length > 0) return { at, guides };
  const x = [middle, ...beside].find((p) => Math.abs(p.x - to.x) < SNAP)?.x;
  const y = [middle, ...beside].find((p) => Math.abs(p.y - to.y) < SNAP)?.y;
  if (x !== undefined) {
    at.x = x;
    guides.push({ x1: x, y1: -LONG, x2: x, y2: LONG });
  }
  if (y !== undefined) {
    at.y = y;
    guides.push({ x1: -LONG, y1: y, x2: LONG, y2: y });
  }
  return { at, guides };
}

export function diagonal(plate: Plate): number {
  return Math.hypot(plate.width, plate.height);
}

/** What to ask of the service: the plate at device pixels (never above its own), and the part on the screen. */
export function wantedView(placement: Placement, area: Point, plate: Plate, ratio: number, box: Box): View | null {
  const { width, height } = wholeView(placement, plate, ratio);
  const perX = width / (plate.width * placement.scale);
  const perY = height / (plate.height * placement.scale);
  const x0 = Math.max(0, Math.floor(box.x0 * width), Math.floor(-placement.x * perX));
  const y0 = Math.max(0, Math.floor(box.y0 * height), Math.floor(-placement.y * perY));
  const x1 = Math.min(width, Math.ceil(box.x1 * width), Math.ceil((area.x - placement.x) * perX));
  const y1 = Math.min(height, Math.ceil(box.y1 * height), Math.ceil((area.y - placement.y) * perY));
  return x1 > x0 && y1 > y0 ? { width, height, x0, y0, x1, y1 } : null;
}

/** All of the frame, at the size at which it lies on the screen. */
export function wholeView(placement: Placement, plate: Plate, ratio: number): View {
  const scale = Math.min(1, placement.scale * ratio);
  const width = Math.max(1, Math.round(plate.width * scale));
  const height = Math.max(1, Math.round(plate.height * scale));
  return { width, height, x0: 0, y0: 0, x1: width, y1: height };
}

const SHORTEST_LINE = 20; // CSS pixels

/** The angle by which to turn the picture, now turned by `angle`, so that a drawn line lies level, or plumb if it is nearer to that; null for too short a line. */
export function levelled(angle: number, from: Point, to: Point): number | null {
  if (Math.hypot(to.x - from.x, to.y - from.y) <= SHORTEST_LINE) return null;
  const drawn = (-Math.atan2(to.y - from.y, to.x - from.x) * 180) / Math.PI;
  const off = drawn - Math.round(drawn / 90) * 90;
  return Number((angle - off).toFixed(2));
}
