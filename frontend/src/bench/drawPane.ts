import type { Box, Plate } from "../api/client";
import type { Shown } from "./usePreview";
import { boxOnScreen, type Placement } from "./view";

/** Where on the canvas a picture is drawn: device pixels from `from` to `to`, moved to the right by `offset`. */
export interface Pane {
  from: number;
  to: number;
  offset: number;
}

/** Draws a frame that has come where its part of the plate lies, pixel for pixel if it was made for just this size. */
export function drawPane(
  context: CanvasRenderingContext2D,
  shown: Shown | null,
  plate: Plate,
  box: Box,
  placement: Placement,
  ratio: number,
  pane: Pane,
): void {
  const across = plate.width * placement.scale * ratio;
  const down = plate.height * placement.scale * ratio;
  const left = Math.round(placement.x * ratio) + pane.offset;
  const top = Math.round(placement.y * ratio);
  const seen = boxOnScreen({ ...placement, x: placement.x * ratio, y: placement.y * ratio, scale: placement.scale * ratio }, plate, box);
  context.save();
  context.beginPath();
  context.rect(pane.from, 0, pane.to - pane.from, context.canvas.height);
  context.clip();
  context.beginPath();
  context.rect(Math.round(seen.left) + pane.offset, Math.round(seen.top), Math.round(seen.width), Math.round(seen.height));
  context.clip();
  if (shown) {
    const { bitmap, view } = shown;
    const perX = across / view.width;
    const perY = down / view.height;
    const exact = Math.abs(perX - 1) < 0.6 / view.width;
    context.imageSmoothingEnabled = !exact && perX < 2;
    context.imageSmoothingQuality = "high";
    context.drawImage(
      bitmap,
      left + (exact ? view.x0 : view.x0 * perX),
      top + (exact ? view.y0 : view.y0 * perY),
      bitmap.width * (exact ? 1 : ((view.x1 - view.x0) * perX) / bitmap.width),
      bitmap.height * (exact ? 1 : ((view.y1 - view.y0) * perY) / bitmap.height),
    );
  } else {
    context.fillStyle = "#2e2e2e";
    context.fillRect(left, top, across, down);
  }
  context.restore();
}
