/** Under which it is kept whether reels are heard. */
export const SOUND = "sound";

/** What was kept under a name on this machine, or null where there is nothing that can be read. */
export function remembered(name: string): unknown {
  try {
    return JSON.parse(window.localStorage.getItem(`aurelon.${name}`) ?? "null");
  } catch (error) {
    // What another version kept, or a browser that keeps nothing.
    if (error instanceof SyntaxError || error instanceof DOMException) return null;
    throw error;
  }
}

export function remember(name: string, value: unknown): void {
  window.localStorage.setItem(`aurelon.${name}`, JSON.stringify(value));
}

export function forgetRemembered(name: string): void {
  window.localStorage.removeItem(`aurelon.${name}`);
}

/** A list of names that was kept. */
export function rememberedNames(name: string): string[] {
  const kept = remembered(name);
  return Array.isArray(kept) ? kept.filter((one): one is string => typeof one === "string") : [];
}
