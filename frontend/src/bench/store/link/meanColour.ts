const DARKEST = 3; // of 255; a darker light has no colour to show
const BRIGHT = 235;

/** The mean colour of a picture as CSS, brightened to be seen as a line; null where it is dark. */
export async function meanColour(picture: Blob): Promise<string | null> {
  const bitmap = await createImageBitmap(picture, { resizeWidth: 1, resizeHeight: 1, resizeQuality: "medium" });
  const context = new OffscreenCanvas(1, 1).getContext("2d", { willReadFrequently: true });
  context?.drawImage(bitmap, 0, 0);
  bitmap.close();
  const [r = 0, g = 0, b = 0] = context?.getImageData(0, 0, 1, 1).data ?? [];
  const top = Math.max(r, g, b);
  if (top < DARKEST) return null;
  const k = BRIGHT / top;
  return `rgb(${Math.round(r * k)} ${Math.round(g * k)} ${Math.round(b * k)})`;
}
