import type { ExportInfo, FormatInfo, GroupInfo } from "../../api/client";
import { defaultsOf } from "./rig";
import { remember, remembered } from "./remembered";

/** What is chosen of an export and remembered: one picture or passes, the format, its depth, and the settings of the file. */
export type ExportChoice = Record<string, unknown> & { passes: boolean; format: string; depth: string };

/** The formats and settings of one picture, or of passes. */
export function waysOf(info: ExportInfo, passes: boolean): { formats: FormatInfo[]; group: GroupInfo } {
  return passes ? { formats: info.passes, group: info.passes_group } : { formats: info.formats, group: info.group };
}

/** The first format as it comes. */
export function firstChoice(info: ExportInfo, passes: boolean): ExportChoice {
  const { formats, group } = waysOf(info, passes);
  return { ...defaultsOf(group), passes, format: formats[0]?.name ?? "", depth: formats[0]?.depths[0]?.value ?? "" };
}

const CHOICE = "export";

export function keepExport(choice: ExportChoice): void {
  remember(CHOICE, choice);
}

export function wasExported(): boolean {
  return remembered(CHOICE) !== null;
}

/** The choice that was made last, of what there still is; else the first format as it comes. */
export function rememberedExport(info: ExportInfo): ExportChoice {
  const kept = remembered(CHOICE) as Partial<ExportChoice> | null;
  const passes = kept?.passes === true;
  const fallback = firstChoice(info, passes);
  const format = waysOf(info, passes).formats.find((f) => f.name === kept?.format);
  if (!kept || !format?.depths.some((d) => d.value === kept.depth)) return firstChoice(info, false);
  // Only what there still is, and of the type that it has.
  const fit = Object.entries(kept).filter(([name, value]) => name in fallback && typeof value === typeof fallback[name]);
  return { ...fallback, ...Object.fromEntries(fit) };
}
