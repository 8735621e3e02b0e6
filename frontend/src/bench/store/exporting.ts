import type { AnyExport, ExportInfo, TargetInfo } from "../../api/client";
import { remember, remembered } from "./remembered";

/** The target of a name; the usual one where there is none of it. */
export function targetOf(info: ExportInfo, name?: string): TargetInfo {
  const target = info.targets.find((one) => one.name === name) ?? info.targets[0];
  if (!target) throw new Error("the service offers no export");
  return target;
}

const CHOICE = "export";

export function keepExport(choice: AnyExport): void {
  remember(CHOICE, choice);
}

export function wasExported(): boolean {
  return remembered(CHOICE) !== null;
}

/** The choice that was made last, of what there still is; else the first format as it comes. */
export function rememberedExport(info: ExportInfo): AnyExport {
  const kept = remembered(CHOICE) as Partial<AnyExport> | null;
  const target = targetOf(info, kept?.target);
  const format = target.formats.find((f) => f.name === kept?.format);
  if (!kept || !format?.depths.some((d) => d.value === kept.depth)) return targetOf(info).first;
  // Only what there still is, and of the type that it has.
  const usual: Record<string, unknown> = { ...target.first };
  const fit = Object.entries(kept).filter(([name, value]) => name in usual && typeof value === typeof usual[name]);
  return { ...target.first, ...Object.fromEntries(fit) };
}
