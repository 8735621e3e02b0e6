import type { Owner, Rig, Track } from "../../api/client";
import {
  HOUSE,
  lightOf,
  lightOwner,
  maskOf,
  matteOwner,
  valuesAt,
  withLight,
  withValues,
  type Place,
  type Selection,
  type Values,
} from "./rig";

const MATTE = "matte:";
const SHINES = "on"; // the one setting of a light that is not in a stage

/** Whose setting it is and its path, as keys name them. */
export function keyOf(place: Place, name: string): { owner: string; path: string } {
  if (place === "prepare") return { owner: "plate", path: name };
  if (place === "house" || place === "distance" || place === "finish") return { owner: place, path: name };
  if ("light" in place) return { owner: place.light, path: `${place.stage}.${name}` };
  return { owner: keyOwner(place.mask), path: `mask.parts.${place.part}.${name}` };
}

/** The keys of a setting: those of a part of a mask are with the part. */
export function trackOf(rig: Rig, place: Place, name: string): Track | null {
  if (typeof place === "object" && "mask" in place) return maskOf(rig, place.mask)?.parts[place.part]?.keys[name] ?? null;
  const { owner, path } = keyOf(place, name);
  return rig.keys[owner]?.[path] ?? null;
}

/** The rig with settings changed as they are at a frame: where one has keys, with a key there. */
export function withValuesAt(rig: Rig, place: Place, values: Values, frame: number): Rig {
  const made = withValues(rig, place, values);
  return Object.entries(values).reduce((next, [name, value]) => {
    const track = trackOf(rig, place, name);
    if (!track) return next;
    return withTrack(next, place, name, withKeyIn(track, frame, value));
  }, made);
}

/** The rig with a light switched on or off; where that has keys, with a key at a frame. */
export function withShining(rig: Rig, id: string, on: boolean, frame: number): Rig {
  const made = withLight(rig, id, (light) => ({ ...light, on }));
  const track = rig.keys[id]?.[SHINES];
  return track ? { ...made, keys: { ...rig.keys, [id]: { ...rig.keys[id], [SHINES]: withKeyIn(track, frame, on) } } } : made;
}

function withKeyIn(track: Track, frame: number, value: unknown): Track {
  const at = [...track.at.filter(([other]) => other !== frame), [frame, value] as [number, unknown]].sort((a, b) => a[0] - b[0]);
  return { ...track, at };
}

/** The rig with another value at a key that is there. */
export function withKeyAt(rig: Rig, place: Place, name: string, frame: number, value: unknown): Rig {
  const track = trackOf(rig, place, name);
  if (!track) return rig;
  const at = track.at.map(([other, was]) => [other, other === frame ? value : was] as [number, unknown]);
  return withTrack(rig, place, name, { ...track, at });
}

/** The rig without keys of a setting of the plate, the house light or a light. */
export function withoutKeys(rig: Rig, place: Place, name: string): Rig {
  const { owner, path } = keyOf(place, name);
  const kept = Object.entries(rig.keys[owner] ?? {}).filter(([other]) => other !== path);
  const others = Object.fromEntries(Object.entries(rig.keys).filter(([other]) => other !== owner));
  return { ...rig, keys: kept.length > 0 ? { ...others, [owner]: Object.fromEntries(kept) } : others };
}

function withTrack(rig: Rig, place: Place, name: string, track: Track): Rig {
  if (typeof place === "object" && "mask" in place) {
    const keys = maskOf(rig, place.mask)?.parts[place.part]?.keys;
    return withValues(rig, place, { keys: { ...keys, [name]: track } });
  }
  const { owner, path } = keyOf(place, name);
  return { ...rig, keys: { ...rig.keys, [owner]: { ...rig.keys[owner], [path]: track } } };
}

/** What keyed settings are at the frame that is seen, laid where the page reads settings; the same rig where they are that. */
export function withKeyed(rig: Rig, keyed: Record<string, Record<string, unknown>>): Rig {
  return Object.entries(keyed).reduce(
    (made, [owner, paths]) =>
      Object.entries(paths).reduce((next, [path, value]) => {
        if (path === SHINES)
          return lightOf(next, owner)?.on === value ? next : withLight(next, owner, (l) => ({ ...l, on: value as boolean }));
        const place = placeOf(owner, path);
        const name = path.split(".").at(-1) ?? path;
        if (!(name in valuesAt(next, place))) return next;
        return JSON.stringify(valuesAt(next, place)[name]) === JSON.stringify(value) ? next : withValues(next, place, { [name]: value });
      }, made),
    rig,
  );
}

function placeOf(owner: string, path: string): Place {
  const [group, , part] = path.split(".");
  if (group === "mask" && part !== undefined) return { mask: whose(owner), part: Number(part) };
  if (owner === "plate") return "prepare";
  if (owner === "house") return "house";
  return { light: owner, stage: group as "source" };
}

function whose(owner: string): Owner {
  if (owner === "house") return HOUSE;
  return owner.startsWith(MATTE) ? matteOwner(owner.slice(MATTE.length)) : lightOwner(owner);
}

/** What is selected, as keys name their owner. */
export function keyOwner(selection: Selection): string {
  if (selection === "plate" || selection.of === "house") return selection === "plate" ? "plate" : "house";
  return selection.of === "matte" ? `${MATTE}${selection.id}` : selection.id;
}

/** The frames at which what is selected has keys, in order. */
export function framesWithKeys(rig: Rig, selection: Selection): number[] {
  const parts = selection === "plate" ? [] : (maskOf(rig, selection)?.parts ?? []);
  const tracks = [rig.keys[keyOwner(selection)] ?? {}, ...parts.map((part) => part.keys)].flatMap((keys) => Object.values(keys));
  const frames = tracks.flatMap((track) => track.at.map(([frame]) => frame));
  return [...new Set(frames)].sort((a, b) => a - b);
}
