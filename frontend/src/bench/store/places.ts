import type { KindInfo, Light, SettingInfo } from "../../api/client";
import { isShown } from "./rig";

export type Spot = [number, number];

function isSpot(value: unknown): value is Spot {
  return Array.isArray(value) && typeof value[0] === "number";
}

/** All places of a shape, in their order. */
export function spotsOf(value: unknown): Spot[] {
  if (isSpot(value)) return [value];
  return Array.isArray(value) ? value.flatMap(spotsOf) : [];
}

/** A shape of the same sort with other places; they are taken from the list. */
export function withSpots(like: unknown, spots: Spot[]): unknown {
  if (isSpot(like)) return spots.shift() ?? like;
  return Array.isArray(like) ? like.map((one) => withSpots(one, spots)) : like;
}

/** Where a light comes from: the places among its settings that count now, and whether it shines from points. */
export interface Places {
  positions: { setting: SettingInfo; at: Spot }[];
  points: boolean;
}

export function placesOf(light: Light, kind: KindInfo): Places {
  const spread: Record<string, unknown> = light.spread;
  const settings = kind.groups.find((g) => g.name === "spread")?.settings ?? [];
  return {
    positions: settings
      .filter((s) => s.type === "place" && isShown(s, spread))
      .map((setting) => ({ setting, at: spread[setting.name] as Spot })),
    points: kind.groups.some((g) => g.settings.some((s) => s.type === "places")),
  };
}

/** The corners and points by which a light is drawn on the picture, which have a grip each. */
export function cornersOf(light: Light, kind: KindInfo): Spot[] {
  return kind.groups.flatMap(({ name, settings }) =>
    settings
      .filter((setting) => setting.type === "quads" || setting.type === "path")
      .flatMap((setting) => spotsOf((light[name as "source"] as Record<string, unknown>)[setting.name])),
  );
}
