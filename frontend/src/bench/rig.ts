import type { Box, Light, Mask, MaskPart, Matte, PartInfo, Rig, SettingInfo, Stroke } from "../api/client";

/** The groups of settings a light has, in the order of its path. */
export const stages = ["source", "spread", "colour", "mask", "merge"] as const;
export type Stage = (typeof stages)[number];

export type SettingValue = number | string | boolean | [number, number] | [number, number][] | [number, number, number, number] | [number, number][][] | Stroke[] | Box | null;

/** What is selected: the plate, the house light, a light or a matte by its id. */
export type Selection = "plate" | "house" | { light: string } | { matte: string };

/** Whose mask it is. */
export type Owner = { light: string } | { matte: string } | "house";

/** Where a setting is: a stage of a light, the plate's preparation, the house light, or a part of a mask. */
export type Place = { light: string; stage: Stage } | "prepare" | "house" | { mask: Owner; part: number };

type Values = Record<string, unknown>;

export function maskOf(rig: Rig, owner: Owner): Mask | undefined {
  if (owner === "house") return rig.house.mask;
  return "light" in owner ? lightOf(rig, owner.light)?.mask : matteOf(rig, owner.matte)?.mask;
}

export function withMask(rig: Rig, owner: Owner, mask: Mask): Rig {
  if (owner === "house") return { ...rig, house: { ...rig.house, mask } };
  if ("light" in owner) return withLight(rig, owner.light, (light) => ({ ...light, mask }));
  return withMatte(rig, owner.matte, (matte) => ({ ...matte, mask }));
}

export function matteOf(rig: Rig, id: string): Matte | undefined {
  return rig.mattes.find((matte) => matte.id === id);
}

export function withMatte(rig: Rig, id: string, change: (matte: Matte) => Matte): Rig {
  return { ...rig, mattes: rig.mattes.map((matte) => (matte.id === id ? change(matte) : matte)) };
}

/** What an owner's mask is called where it is shown: its words in the preview's `show`. */
export function maskShow(owner: Owner): string {
  if (owner === "house") return "house-mask";
  return "light" in owner ? `mask:${owner.light}` : `matte:${owner.matte}`;
}

/** A new part of a kind, working as the mask's start suggests: painted in where there is nothing, away where there is all. */
export function newPart(info: PartInfo, mask: Mask): MaskPart {
  const usual = mask.start === "nothing" ? "add" : "subtract";
  return { ...info.defaults, combine: info.combine ?? usual } as unknown as MaskPart;
}

/** A free id made of a stem. */
export function freeId(stem: string, taken: Iterable<string>): string {
  const used = new Set(taken);
  let number = 1;
  while (used.has(`${stem}-${number}`)) number++;
  return `${stem}-${number}`;
}

export function valuesAt(rig: Rig, place: Place): Values {
  if (place === "prepare" || place === "house") return rig[place];
  if ("mask" in place) return maskOf(rig, place.mask)?.parts[place.part] ?? {};
  const light = lightOf(rig, place.light);
  return light ? (light[place.stage]) : {};
}

export function lightOf(rig: Rig, id: string): Light | undefined {
  return rig.lights.find((light) => light.id === id);
}

export function withValues(rig: Rig, place: Place, values: Values): Rig {
  if (place === "prepare" || place === "house") return { ...rig, [place]: { ...rig[place], ...values } };
  if ("mask" in place) {
    const mask = maskOf(rig, place.mask);
    if (!mask) return rig;
    return withMask(rig, place.mask, { ...mask, parts: mask.parts.map((part, k) => (k === place.part ? ({ ...part, ...values }) : part)) });
  }
  return withLight(rig, place.light, (light) => ({ ...light, [place.stage]: { ...light[place.stage], ...values } }));
}

export function withLight(rig: Rig, id: string, change: (light: Light) => Light): Rig {
  return { ...rig, lights: rig.lights.map((light) => (light.id === id ? change(light) : light)) };
}

/** Settings of a light, and of all that belong to one group with it; `own` settings are each one's own. */
export function withShared(rig: Rig, id: string, stage: Stage, values: Values, own: boolean): Rig {
  const group = lightOf(rig, id)?.group ?? "";
  if (own || group === "") return withValues(rig, { light: id, stage }, values);
  return rig.lights.filter((light) => light.group === group).reduce((r, light) => withValues(r, { light: light.id, stage }, values), rig);
}

export function withoutLight(rig: Rig, id: string): Rig {
  return { ...rig, lights: rig.lights.filter((light) => light.id !== id) };
}

export function moveLight(rig: Rig, id: string, to: number): Rig {
  const light = lightOf(rig, id);
  if (!light) return rig;
  const lights = rig.lights.filter((other) => other.id !== id);
  lights.splice(Math.max(0, Math.min(lights.length, to)), 0, light);
  return { ...rig, lights };
}

export function duplicateLight(rig: Rig, id: string): { rig: Rig; id: string } {
  const light = lightOf(rig, id);
  if (!light) return { rig, id };
  const taken = new Set(rig.lights.map((other) => other.id));
  const stem = id.replace(/-\d+$/, "");
  let number = 2;
  while (taken.has(`${stem}-${number}`)) number++;
  const copy: Light = { ...light, id: `${stem}-${number}`, name: `${light.name} copy`.slice(0, 80) };
  const lights = rig.lights.flatMap((other) => (other.id === id ? [other, copy] : [other]));
  return { rig: { ...rig, lights }, id: copy.id };
}

/** The rig with only this light on, for listening to one voice alone. */
export function soloed(rig: Rig, id: string | null): Rig {
  if (id === null || !lightOf(rig, id)) return rig;
  return { ...rig, lights: rig.lights.map((light) => ({ ...light, on: light.id === id })) };
}

export function isShown(setting: SettingInfo, values: Values): boolean {
  return Object.entries(setting.when ?? {}).every(([name, allowed]) => allowed.includes(values[name]));
}
