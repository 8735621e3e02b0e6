import type { SettingInfo } from "../../api/client";

/** Of a plate, in pixels. */
export interface Size {
  width: number;
  height: number;
}

/** How a number is written for people, and read back. Ranges and steps come from the service. */
export interface Notation {
  unit: string;
  hint: (value: number, plate: Size) => string | null;
  shown: (value: number) => string;
  read: (text: string) => number | null;
}

function number(text: string): number | null {
  const found = /-?\d*[.,]?\d+(e-?\d+)?/i.exec(text.trim());
  return found ? Number(found[0].replace(",", ".")) : null;
}

function digits(step: number): number {
  return Math.max(0, Math.min(4, -Math.floor(Math.log10(step) + 1e-9)));
}

function scaled(unit: string, factor: number, places: number, hint: Notation["hint"] = () => null): Notation {
  return {
    unit,
    hint,
    shown: (value) => (value * factor).toFixed(places),
    read: (text) => {
      const found = number(text);
      return found === null ? null : found / factor;
    },
  };
}

/** Per cent of the plate, for places. */
export const PLACE = scaled("%", 100, 1);

/** Per cent, with pixels at full size on the side, for shares of the diagonal; degrees, kelvin and so on. */
export function notation({ unit, step }: { unit: string; step: number }): Notation {
  switch (unit) {
    case "diagonal":
      return scaled(
        "%",
        100,
        digits(step * 100),
        (value, plate) => `${Math.round(value * Math.hypot(plate.width, plate.height))} px at full size`,
      );
    case "share":
      return scaled("%", 100, digits(step * 100));
    case "degrees":
      return scaled("°", 1, digits(step));
    case "kelvin":
      return scaled("K", 1, 0);
    case "gain":
      return scaled("×", 1, digits(step), (value) => (value > 0 ? `${Math.log2(value).toFixed(1)} stops` : "off"));
    case "stops":
      return scaled("EV", 1, digits(step));
    case "mm":
      return scaled("mm", 1, digits(step));
    case "pixels":
      return scaled("px", 1, 0);
    default:
      return scaled("", 1, digits(step));
  }
}

/** What a value means in another unit, where that helps. */
export function hintOf(setting: SettingInfo, value: unknown, plate: Size): string | null {
  return typeof value === "number" && "unit" in setting ? notation(setting).hint(value, plate) : null;
}
