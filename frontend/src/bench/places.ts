import type { KindInfo, Light, Facts, SettingInfo } from "../api/client";
import { isShown } from "./rig";

export type Spot = [number, number];

/** What of a light's source says which points shine. */
export interface PointLists {
  placed: Spot[];
  hidden: Spot[];
}

/** Where a light comes from: the positions among its settings that count now, and its lists of points. */
export interface Places {
  positions: { setting: SettingInfo; at: Spot }[];
  lists: PointLists | null;
}

function isPointLists(values: unknown): values is PointLists {
  return typeof values === "object" && values !== null && "placed" in values && "hidden" in values;
}

export function placesOf(light: Light, kind: KindInfo): Places {
  const spread: Record<string, unknown> = light.spread;
  const settings = kind.groups.find((g) => g.name === "spread")?.settings ?? [];
  return {
    positions: settings.filter((s) => s.handle === "position" && isShown(s, spread)).map((setting) => ({ setting, at: spread[setting.name] as Spot })),
    lists: isPointLists(light.source) ? light.source : null,
  };
}

/** Where the picture's warmth is read for a light: at its source, at its first point, or in the middle. */
export function originOf(places: Places, facts: Facts | null): Spot {
  const point = facts?.of_light?.points?.find((p) => p.on);
  return places.positions[0]?.at ?? (point ? [point.x, point.y] : [0.5, 0.5]);
}

export function rounded(place: Spot): Spot {
  return [Number(place[0].toFixed(4)), Number(place[1].toFixed(4))];
}
