import type { GroupInfo, Light, Mask, Matte, Owner, Rig, SettingInfo, Stage } from "../../api/client";

/** The groups of settings a light has, in the order of its path. */
export const stages: readonly Stage[] = ["source", "spread", "colour", "mask", "merge"];

/** What is selected: the plate, or the house light, a light or a matte. */
export type Selection = "plate" | Owner;

/** A stage of a light, or what it stands behind. */
export type LightGroup = Stage | "behind";

/** Where a setting is: a stage of a light, the plate's preparation, the house light, or a part of a mask. */
export type Place = { light: string; stage: LightGroup } | "prepare" | "house" | "distance" | "finish" | { mask: Owner; part: number };

export type Values = Record<string, unknown>;

export function lightOwner(id: string): Owner {
  return { of: "light", id };
}

export function matteOwner(id: string): Owner {
  return { of: "matte", id };
}

export const HOUSE: Owner = { of: "house" };

export function sameOwner(a: Owner | null, b: Owner | null): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

export function maskOf(rig: Rig, owner: Owner): Mask | undefined {
  if (owner.of === "house") return rig.house.mask;
  return owner.of === "light" ? lightOf(rig, owner.id)?.mask : matteOf(rig, owner.id)?.mask;
}

export function withMask(rig: Rig, owner: Owner, mask: Mask): Rig {
  if (owner.of === "house") return { ...rig, house: { ...rig.house, mask } };
  if (owner.of === "light") return withLight(rig, owner.id, (light) => ({ ...light, mask }));
  return withMatte(rig, owner.id, (matte) => ({ ...matte, mask }));
}

export function matteOf(rig: Rig, id: string): Matte | undefined {
  return rig.mattes.find((matte) => matte.id === id);
}

export function withMatte(rig: Rig, id: string, change: (matte: Matte) => Matte): Rig {
  return { ...rig, mattes: rig.mattes.map((matte) => (matte.id === id ? change(matte) : matte)) };
}

export function lightOf(rig: Rig, id: string): Light | undefined {
  return rig.lights.find((light) => light.id === id);
}

export function withLight(rig: Rig, id: string, change: (light: Light) => Light): Rig {
  return { ...rig, lights: rig.lights.map((light) => (light.id === id ? change(light) : light)) };
}

export function valuesAt(rig: Rig, place: Place): Values {
  if (place === "prepare" || place === "house" || place === "distance" || place === "finish") return rig[place];
  if ("mask" in place) return maskOf(rig, place.mask)?.parts[place.part] ?? {};
  return lightOf(rig, place.light)?.[place.stage] ?? {};
}

/** The settings of a group as they come. */
export function defaultsOf(group: GroupInfo): Record<string, unknown> {
  return Object.fromEntries(group.settings.map((s) => [s.name, s.default]));
}

export function withValues(rig: Rig, place: Place, values: Values): Rig {
  if (place === "prepare" || place === "house" || place === "distance" || place === "finish")
    return { ...rig, [place]: { ...rig[place], ...values } };
  if ("mask" in place) {
    const mask = maskOf(rig, place.mask);
    if (!mask) return rig;
    return withMask(rig, place.mask, { ...mask, parts: mask.parts.map((part, k) => (k === place.part ? { ...part, ...values } : part)) });
  }
  return withLight(rig, place.light, (light) => ({ ...light, [place.stage]: { ...light[place.stage], ...values } }));
}

export function withoutLight(rig: Rig, id: string): Rig {
  const keys = Object.fromEntries(Object.entries(rig.keys).filter(([owner]) => owner !== id));
  return { ...rig, lights: rig.lights.filter((light) => light.id !== id), keys };
}

export function moveLight(rig: Rig, id: string, to: number): Rig {
  const light = lightOf(rig, id);
  if (!light) return rig;
  const lights = rig.lights.filter((other) => other.id !== id);
  lights.splice(Math.max(0, Math.min(lights.length, to)), 0, light);
  return { ...rig, lights };
}

/** The rig with only this light on, for looking at one alone. */
export function soloed(rig: Rig, id: string | null): Rig {
  if (id === null || !lightOf(rig, id)) return rig;
  return { ...rig, lights: rig.lights.map((light) => ({ ...light, on: light.id === id })) };
}

export function isShown(setting: SettingInfo, values: Values): boolean {
  return Object.entries(setting.when).every(([name, allowed]) => allowed.includes(values[name]));
}
