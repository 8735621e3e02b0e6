import type { ExportInfo } from "../../api/client";
import { remember, remembered } from "./remembered";

/** What is chosen of an export and remembered: the format, its depth, and the settings of the file. */
export type ExportChoice = Record<string, unknown> & { format: string; depth: string };

const CHOICE = "export";

export function keepExport(choice: ExportChoice): void {
  remember(CHOICE, choice);
}

export function wasExported(): boolean {
  return remembered(CHOICE) !== null;
}

/** The choice that was made last, of what there still is; else the first format as it comes. */
export function rememberedExport({ formats, group }: ExportInfo): ExportChoice {
  const settings = Object.fromEntries(group.settings.map((s) => [s.name, s.default]));
  const fallback: ExportChoice = { ...settings, format: formats[0]?.name ?? "", depth: formats[0]?.depths[0]?.value ?? "" };
  const kept = remembered(CHOICE) as Partial<ExportChoice> | null;
  const format = formats.find((f) => f.name === kept?.format);
  if (!kept || !format?.depths.some((d) => d.value === kept.depth)) return fallback;
  // Only what there still is, and of the type that it has.
  const fit = Object.entries(kept).filter(([name, value]) => name in fallback && typeof value === typeof fallback[name]);
  return { ...fallback, ...Object.fromEntries(fit) };
}
