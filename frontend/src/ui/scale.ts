import { useEffect, useSyncExternalStore } from "react";

/** How large the interface is drawn: `--scale` on the page, which bars, columns, lists and dialogs take as their zoom. */
const KEPT = "aurelon.interface-scale";
const AUTOMATIC = "automatic";
const SCALES = [1, 1.25, 1.5, 1.75, 2];
const ROOMY = 2500; // CSS pixels of width from which a screen is taken for one that shows everything small
const USUAL = 1920; // CSS pixels of width for which the interface is drawn

/** Larger on a wide screen whose pixels are not put together already. */
function automatic(width: number): number {
  const wanted = width < ROOMY ? 1 : width / USUAL;
  return SCALES.findLast((scale) => scale <= wanted) ?? 1;
}

function read(): string {
  return window.localStorage.getItem(KEPT) ?? AUTOMATIC;
}

const listeners = new Set<() => void>();

function apply(): void {
  const kept = Number(read());
  const scale = SCALES.includes(kept) ? kept : automatic(window.innerWidth);
  document.documentElement.style.setProperty("--scale", String(scale));
}

/** The scale that is drawn now. */
export function scaleNow(): number {
  return Number(document.documentElement.style.getPropertyValue("--scale")) || 1;
}

/** Keeps the page at its scale, also as the window changes. */
export function useScale(): void {
  useEffect(() => {
    apply();
    window.addEventListener("resize", apply);
    return () => window.removeEventListener("resize", apply);
  }, []);
}

export const scaleOptions = [
  { value: AUTOMATIC, text: "As the screen wants" },
  ...SCALES.map((scale) => ({ value: String(scale), text: `${String(scale * 100)} %` })),
];

/** The choice that is kept, and what makes another. */
export function useScaleChoice(): [string, (value: string) => void] {
  const value = useSyncExternalStore((heard) => {
    listeners.add(heard);
    return () => listeners.delete(heard);
  }, read);
  const choose = (next: string) => {
    window.localStorage.setItem(KEPT, next);
    apply();
    listeners.forEach((heard) => heard());
  };
  return [value, choose];
}
