import type { MaskPart, PartInfo, SettingInfo, SettingOf } from "../../api/client";

/** What a part of a mask is made with, read off its settings: strokes are drawn, a box and hints are cut out from,
 * a matte is referred to. */
export interface PartTools {
  strokes: SettingOf<"strokes"> | undefined;
  box: SettingOf<"box"> | undefined;
  matte: SettingOf<"matte"> | undefined;
}

function of<T extends SettingInfo["type"]>(info: PartInfo | undefined, type: T): SettingOf<T> | undefined {
  return info?.group.settings.find((s): s is SettingOf<T> => s.type === type);
}

export function toolsOf(info: PartInfo | undefined): PartTools {
  return { strokes: of(info, "strokes"), box: of(info, "box"), matte: of(info, "matte") };
}

/** A part's value of a setting. */
export function valueIn(part: MaskPart, setting: SettingInfo): unknown {
  return (part as Record<string, unknown>)[setting.name];
}

export function withValue(part: MaskPart, setting: SettingInfo, value: unknown): MaskPart {
  return { ...part, [setting.name]: value };
}
