import type { FrameHeader, Plate } from "../../api/client";
import type { Placement } from "../picture/view";

/** A picture on the bench: its canvas holds the frame that came last, and is laid where that part of the plate lies. It
 * is moved by a transform alone, so that the view follows the hand without anything being drawn. */
export class Sheet {
  private canvas: HTMLCanvasElement | null = null;
  /** Over the canvas, which holds nothing above white: the same frame for a screen that shows more. */
  private bright: HTMLImageElement | null = null;
  private frame: { header: FrameHeader; width: number; height: number; cropped: boolean } | null = null;
  private placed: { placement: Placement; plate: Plate } | null = null;

  attach(canvas: HTMLCanvasElement | null): void {
    this.canvas = canvas;
    this.frame = null;
  }

  attachBright(image: HTMLImageElement | null): void {
    this.bright = image;
  }

  /** Shows a frame, and takes it over; `cropped` without what lies outside its crop. */
  show(
    bitmap: ImageBitmap,
    header: FrameHeader,
    { cropped = false, bright = null }: { cropped?: boolean; bright?: Blob | null } = {},
  ): void {
    const context = this.canvas?.getContext("bitmaprenderer");
    if (!this.canvas || !context) {
      bitmap.close();
      return;
    }
    this.frame = { header, width: bitmap.width, height: bitmap.height, cropped };
    if (this.canvas.width !== bitmap.width) this.canvas.width = bitmap.width;
    if (this.canvas.height !== bitmap.height) this.canvas.height = bitmap.height;
    context.transferFromImageBitmap(bitmap);
    this.canvas.style.visibility = "visible";
    this.showBright(bright);
    this.lay();
  }

  private showBright(picture: Blob | null): void {
    const image = this.bright;
    if (!image || (!image.src && !picture)) return; // as on every usual screen, for each picture of a drag
    if (image.src) URL.revokeObjectURL(image.src);
    image.style.visibility = "hidden";
    if (!picture) {
      image.removeAttribute("src");
      return;
    }
    const address = URL.createObjectURL(picture);
    image.src = address;
    image.decode().then(
      () => {
        if (image.src === address) image.style.visibility = "visible";
      },
      () => undefined, // another frame has come, and the canvas shows this one
    );
  }

  /** Shows a frame that stays the caller's own, within its crop. */
  showKept(bitmap: ImageBitmap, header: FrameHeader): void {
    void createImageBitmap(bitmap).then((copy) => this.show(copy, header, { cropped: true }));
  }

  /** Where the plate lies now. */
  move(placement: Placement, plate: Plate): void {
    this.placed = { placement, plate };
    this.lay();
  }

  private lay(): void {
    if (!this.canvas || !this.frame || !this.placed) return;
    const { placement, plate } = this.placed;
    const { header, width, height, cropped } = this.frame;
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
    for (const style of [this.canvas.style, ...(this.bright?.src ? [this.bright.style] : [])]) {
      style.transform = `translate(${left / ratio}px, ${top / ratio}px) scale(${across / ratio}, ${down / ratio})`;
      style.clipPath = cropped ? cutOff(header, width, height) : "";
      style.imageRendering = !exact && perX >= 2 ? "pixelated" : "auto";
    }
  }
}

/** What of a frame lies outside its crop, as a clip path of its canvas. */
function cutOff({ view, box }: FrameHeader, width: number, height: number): string {
  const across = width / (view.x1 - view.x0);
  const down = height / (view.y1 - view.y0);
  const cut = [
    (box.y0 * view.height - view.y0) * down,
    width - (box.x1 * view.width - view.x0) * across,
    height - (box.y1 * view.height - view.y0) * down,
    (box.x0 * view.width - view.x0) * across,
  ].map((by) => Math.max(0, Math.round(by)));
  return cut.some((by) => by > 1) ? `inset(${cut.map((by) => `${by}px`).join(" ")})` : "";
}
