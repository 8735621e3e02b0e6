/** What was kept under a name on this machine, or null where there is nothing that can be read. */
export function remembered(name: string): unknown {
  try {
    return JSON.parse(window.localStorage.getItem(`aurelon.${name}`) ?? "null");
  } catch {
    return null;
  }
}

export function remember(name: string, value: unknown): void {
  window.localStorage.setItem(`aurelon.${name}`, JSON.stringify(value));
}

/** A list of names that was kept. */
export function rememberedNames(name: string): string[] {
  const kept = remembered(name);
  return Array.isArray(kept) ? kept.filter((one): one is string => typeof one === "string") : [];
}
