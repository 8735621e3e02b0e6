import type { ExportInfo, TargetInfo } from "../../api/client";
import { defaultsOf } from "./rig";
import { remember, remembered } from "./remembered";

/** What is chosen of an export and remembered: the target, the format, its depth, and the settings of the file. */
export type ExportChoice = Record<string, unknown> & { target: string; format: string; depth: string };

/** The target of a name; the usual one where there is none of it. */
export function targetOf(info: ExportInfo, name?: string): TargetInfo {
  const target = info.targets.find((one) => one.name === name) ?? info.targets[0];
  if (!target) throw new Error("the service offers no export");
  return target;
}

/** The first format of a target as it comes. */
export function firstChoice(info: ExportInfo, name?: string): ExportChoice {
  const { name: target, formats, group } = targetOf(info, name);
  return { ...defaultsOf(group), target, format: formats[0]?.name ?? "", depth: formats[0]?.depths[0]?.value ?? "" };
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
  const fallback = firstChoice(info, kept?.target);
  const format = targetOf(info, kept?.target).formats.find((f) => f.name === kept?.format);
  if (!kept || !format?.depths.some((d) => d.value === kept.depth)) return firstChoice(info);
  // Only what there still is, and of the type that it has.
  const fit = Object.entries(kept).filter(([name, value]) => name in fallback && typeof value === typeof fallback[name]);
  return { ...fallback, ...Object.fromEntries(fit), target: fallback.target };
}
