/** The small pictures of the selected light's stages, drawn on the canvases that show them. */
export class StagePictures {
  private readonly canvases = new Map<string, HTMLCanvasElement>();
  private readonly bitmaps = new Map<string, ImageBitmap>();

  attach(stage: string, canvas: HTMLCanvasElement | null): void {
    if (!canvas) {
      this.canvases.delete(stage);
      return;
    }
    this.canvases.set(stage, canvas);
    this.draw(stage);
  }

  /** Shows a picture, and takes it over. */
  show(stage: string, bitmap: ImageBitmap): void {
    this.bitmaps.get(stage)?.close();
    this.bitmaps.set(stage, bitmap);
    this.draw(stage);
  }

  private draw(stage: string): void {
    const canvas = this.canvases.get(stage);
    const bitmap = this.bitmaps.get(stage);
    const context = canvas?.getContext("2d");
    if (!canvas || !bitmap || !context) return;
    if (canvas.width !== bitmap.width || canvas.height !== bitmap.height) {
      canvas.width = bitmap.width;
      canvas.height = bitmap.height;
    }
    context.drawImage(bitmap, 0, 0);
  }
}

const DARKEST = 3; // of 255; a darker light has no colour to show
const BRIGHT = 235;

/** The mean colour of a picture as CSS, brightened to be seen as a line; null where it is dark. */
export function meanColour(bitmap: ImageBitmap): string | null {
  const context = new OffscreenCanvas(1, 1).getContext("2d", { willReadFrequently: true });
  if (!context) return null;
  context.drawImage(bitmap, 0, 0, 1, 1);
  const [r = 0, g = 0, b = 0] = context.getImageData(0, 0, 1, 1).data;
  const top = Math.max(r, g, b);
  if (top < DARKEST) return null;
  const k = BRIGHT / top;
  return `rgb(${Math.round(r * k)} ${Math.round(g * k)} ${Math.round(b * k)})`;
}
