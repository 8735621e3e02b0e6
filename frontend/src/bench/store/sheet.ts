import type { FrameHeader, Plate } from "../../api/client";
import type { Placement } from "../picture/view";

/** A picture on the bench: its canvas holds the frame that came last, and is laid where that part of the plate lies. It
 * is moved by a transform alone, so that the view follows the hand without anything being drawn. */
export class Sheet {
  private canvas: HTMLCanvasElement | null = null;
  private frame: { header: FrameHeader; width: number; height: number } | null = null;
  private placed: { placement: Placement; plate: Plate } | null = null;

  attach(canvas: HTMLCanvasElement | null): void {
    this.canvas = canvas;
    this.frame = null;
  }

  /** Shows a frame, and takes it over. */
  show(bitmap: ImageBitmap, header: FrameHeader): void {
    const context = this.canvas?.getContext("bitmaprenderer");
    if (!this.canvas || !context) {
      bitmap.close();
      return;
    }
    this.frame = { header, width: bitmap.width, height: bitmap.height };
    if (this.canvas.width !== bitmap.width) this.canvas.width = bitmap.width;
    if (this.canvas.height !== bitmap.height) this.canvas.height = bitmap.height;
    context.transferFromImageBitmap(bitmap);
    this.canvas.style.visibility = "visible";
    this.lay();
  }

  /** Shows a frame that stays the caller's own. */
  showKept(bitmap: ImageBitmap, header: FrameHeader): void {
    void createImageBitmap(bitmap).then((copy) => this.show(copy, header));
  }

  /** Where the plate lies now. */
  move(placement: Placement, plate: Plate): void {
    this.placed = { placement, plate };
    this.lay();
  }

  private lay(): void {
    if (!this.canvas || !this.frame || !this.placed) return;
    const { placement, plate } = this.placed;
    const { header, width, height } = this.frame;
    const { view } = header;
    const ratio = window.devicePixelRatio;
    // Device pixels to a pixel of the whole view.
    const perX = (plate.width * placement.scale * ratio) / view.width;
    const perY = (plate.height * placement.scale * ratio) / view.height;
    // A frame that was made for just this size lies pixel on pixel.
    const exact = Math.abs(perX - 1) < 0.6 / view.width;
    const left = Math.round(placement.x * ratio) + view.x0 * (exact ? 1 : perX);
    const top = Math.round(placement.y * ratio) + view.y0 * (exact ? 1 : perY);
    const across = exact ? 1 : ((view.x1 - view.x0) * perX) / width;
    const down = exact ? 1 : ((view.y1 - view.y0) * perY) / height;
    const { style } = this.canvas;
    style.transform = `translate(${left / ratio}px, ${top / ratio}px) scale(${across / ratio}, ${down / ratio})`;
    style.imageRendering = !exact && perX >= 2 ? "pixelated" : "auto";
  }
}
