import type { Point } from "./view";

/** Where a pointer is on a layer of the picture: from the plate's corner, in CSS pixels. */
export function onLayer(event: { clientX: number; clientY: number; currentTarget: Element }): Point {
  const layer = (event.currentTarget as SVGElement).ownerSVGElement ?? event.currentTarget;
  const box = layer.getBoundingClientRect();
  return { x: event.clientX - box.left, y: event.clientY - box.top };
}

const FAR = 1e5;

/** All that a hand can reach, for layers that take every press. */
export const EVERYWHERE = { x: -FAR, y: -FAR, width: 2 * FAR, height: 2 * FAR, fill: "transparent", pointerEvents: "all" } as const;
