import type { Rig, Track } from "../../api/client";
import { HOUSE, lightOf, valuesAt, withValues, type Place, type Selection, type Values } from "./rig";

/** Whose setting it is and its path, as keys of a rig name them; null for what cannot be keyed. */
export function keyOf(place: Place, name: string): { owner: string; path: string } | null {
  if (place === "prepare") return { owner: "plate", path: name };
  if (place === "house") return { owner: "house", path: name };
  return "light" in place ? { owner: place.light, path: `${place.stage}.${name}` } : null;
}

export function trackOf(rig: Rig, place: Place, name: string): Track | null {
  const key = keyOf(place, name);
  return (key && rig.keys[key.owner]?.[key.path]) ?? null;
}

/** The rig with settings changed as they are at a frame: where one has keys, with a key there. */
export function withValuesAt(rig: Rig, place: Place, values: Values, frame: number): Rig {
  const made = withValues(rig, place, values);
  return Object.entries(values).reduce((next, [name, value]) => {
    const key = keyOf(place, name);
    const track = trackOf(rig, place, name);
    if (!key || !track) return next;
    const at = [...track.at.filter(([other]) => other !== frame), [frame, value] as [number, unknown]].sort((a, b) => a[0] - b[0]);
    return withTrack(next, key.owner, key.path, { ...track, at });
  }, made);
}

/** The rig with another value at a key that is there. */
export function withKeyAt(rig: Rig, place: Place, name: string, frame: number, value: unknown): Rig {
  const key = keyOf(place, name);
  const track = trackOf(rig, place, name);
  if (!key || !track) return rig;
  const at = track.at.map(([other, was]) => [other, other === frame ? value : was] as [number, unknown]);
  return withTrack(rig, key.owner, key.path, { ...track, at });
}

function withTrack(rig: Rig, owner: string, path: string, track: Track): Rig {
  return { ...rig, keys: { ...rig.keys, [owner]: { ...rig.keys[owner], [path]: track } } };
}

/** What keyed settings are at the frame that is seen, laid where the page reads settings; the same rig where they are that. */
export function withKeyed(rig: Rig, keyed: Record<string, Record<string, unknown>>): Rig {
  return Object.entries(keyed).reduce(
    (made, [owner, paths]) =>
      Object.entries(paths).reduce((next, [path, value]) => {
        const place = placeOf(owner, path);
        const name = path.split(".").at(-1) ?? path;
        if (typeof place === "object" && "light" in place && !lightOf(next, place.light)) return next;
        return JSON.stringify(valuesAt(next, place)[name]) === JSON.stringify(value) ? next : withValues(next, place, { [name]: value });
      }, made),
    rig,
  );
}

function placeOf(owner: string, path: string): Place {
  if (owner === "plate") return "prepare";
  if (owner === "house") return "house";
  return { light: owner, stage: path.split(".")[0] as "source" };
}

/** What is selected, as keys name their owner. */
export function keyOwner(selection: Selection): string {
  return selection === "plate" ? "plate" : selection === HOUSE || selection.of === "house" ? "house" : selection.id;
}

/** The frames at which what is selected has keys, in order. */
export function framesWithKeys(rig: Rig, selection: Selection): number[] {
  const frames = Object.values(rig.keys[keyOwner(selection)] ?? {}).flatMap((track) => track.at.map(([frame]) => frame));
  return [...new Set(frames)].sort((a, b) => a - b);
}
