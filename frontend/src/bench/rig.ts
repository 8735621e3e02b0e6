import type { Box, Light, Rig, SettingInfo } from "../api/client";

/** The groups of settings a light has, in the order of its path. */
export const stages = ["source", "spread", "colour", "mask", "merge"] as const;
export type Stage = (typeof stages)[number];

export type SettingValue = number | string | [number, number] | [number, number][] | Box | null;

/** What is selected on the desk: the plate, the house light, or a light by its id. */
export type Selection = "plate" | "house" | { light: string };

/** Where a setting is: a stage of a light, the plate's preparation, or the house light. */
export type Place = { light: string; stage: Stage } | "prepare" | "house";

type Values = Record<string, unknown>;

export function valuesAt(rig: Rig, place: Place): Values {
  if (place === "prepare" || place === "house") return rig[place];
  const light = lightOf(rig, place.light);
  return light ? (light[place.stage]) : {};
}

export function lightOf(rig: Rig, id: string): Light | undefined {
  return rig.lights.find((light) => light.id === id);
}

export function withValues(rig: Rig, place: Place, values: Values): Rig {
  if (place === "prepare" || place === "house") return { ...rig, [place]: { ...rig[place], ...values } };
  return withLight(rig, place.light, (light) => ({ ...light, [place.stage]: { ...light[place.stage], ...values } }));
}

export function withLight(rig: Rig, id: string, change: (light: Light) => Light): Rig {
  return { ...rig, lights: rig.lights.map((light) => (light.id === id ? change(light) : light)) };
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
