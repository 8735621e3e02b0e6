import type { Plate, View } from "../api/client";

/** A point or a size in CSS pixels of the picture area. */
export interface Point {
  x: number;
  y: number;
}

/** How the plate lies in the picture area: `scale` CSS pixels to a plate pixel, its corner at `x`, `y`. */
export interface Placement extends Point {
  scale: number;
}

export const SURROUND = 0.1; // share of the area kept free on each side when the plate is fitted
const NEAREST = 16;
const FARTHEST = 0.01;

export function fitted(area: Point, plate: Plate): Placement {
  const scale = Math.min((area.x * (1 - 2 * SURROUND)) / plate.width, (area.y * (1 - 2 * SURROUND)) / plate.height);
  return centred(area, plate, Math.max(scale, FARTHEST));
}

function centred(area: Point, plate: Plate, scale: number): Placement {
  return { scale, x: (area.x - plate.width * scale) / 2, y: (area.y - plate.height * scale) / 2 };
}

/** Zoomed by `factor` so that what is under `at` stays there. */
export function zoomed(placement: Placement, at: Point, factor: number): Placement {
  const scale = Math.min(NEAREST, Math.max(FARTHEST, placement.scale * factor));
  const k = scale / placement.scale;
  return { scale, x: at.x - (at.x - placement.x) * k, y: at.y - (at.y - placement.y) * k };
}

/** Drawn back just so far that the whole plate and the point (plate fractions) are seen. */
export function including(area: Point, plate: Plate, point: [number, number]): Placement {
  const left = Math.min(0, point[0]) * plate.width;
  const right = Math.max(1, point[0]) * plate.width;
  const top = Math.min(0, point[1]) * plate.height;
  const bottom = Math.max(1, point[1]) * plate.height;
  const scale = Math.max(FARTHEST, Math.min((area.x * 0.84) / (right - left), (area.y * 0.84) / (bottom - top)));
  return { scale, x: area.x / 2 - ((left + right) / 2) * scale, y: area.y / 2 - ((top + bottom) / 2) * scale };
}

export function toScreen(placement: Placement, plate: Plate, point: [number, number]): Point {
  return { x: placement.x + point[0] * plate.width * placement.scale, y: placement.y + point[1] * plate.height * placement.scale };
}

export function toPlate(placement: Placement, plate: Plate, at: Point): [number, number] {
  return [(at.x - placement.x) / (plate.width * placement.scale), (at.y - placement.y) / (plate.height * placement.scale)];
}

export function diagonal(plate: Plate): number {
  return Math.hypot(plate.width, plate.height);
}

/** What to ask of the service: the plate at device pixels (never above its own), and the part on the screen. */
export function wantedView(placement: Placement, area: Point, plate: Plate, ratio: number): View | null {
  const scale = Math.min(1, placement.scale * ratio);
  const width = Math.max(1, Math.round(plate.width * scale));
  const height = Math.max(1, Math.round(plate.height * scale));
  const perX = width / (plate.width * placement.scale);
  const perY = height / (plate.height * placement.scale);
  const x0 = Math.max(0, Math.floor(-placement.x * perX));
  const y0 = Math.max(0, Math.floor(-placement.y * perY));
  const x1 = Math.min(width, Math.ceil((area.x - placement.x) * perX));
  const y1 = Math.min(height, Math.ceil((area.y - placement.y) * perY));
  return x1 > x0 && y1 > y0 ? { width, height, x0, y0, x1, y1 } : null;
}
