import { useEffect, useState } from "react";
import { api, type SettingInfo } from "../../api/client";
import { useHandle } from "../../ui/useHandle";
import { useBench, useNow } from "../store/bench";
import { keyOf, trackOf } from "../store/keys";
import type { Spot } from "../store/places";
import { isShown, valuesAt, type Place } from "../store/rig";
import { placementAtOrigin } from "../store/selectors";
import type { Stage } from "./Handles";
import { toPlate, toScreen } from "./view";

/** The paths that keyed places take over the frames; a key on one is dragged where the place should be there. */
export function KeyPaths({ stages }: { stages: Stage[] }) {
  const { now } = useBench();
  const shown = useNow((s) => {
    const all = stages.flatMap(({ place, group }) => group.settings.map((setting) => ({ place, setting })));
    return all
      .filter(({ place, setting }) => setting.type === "place" && isShown(setting, valuesAt(s.rig, place)))
      .filter(({ place, setting }) => trackOf(s.rig, place, setting.name) !== null)
      .map(({ place, setting }) => pathOf(place, setting))
      .join();
  });
  if (now().plate.frames < 2) return null;
  const names = shown.split(",");
  return stages.flatMap(({ place, group }) =>
    group.settings
      .filter((setting) => names.includes(pathOf(place, setting)))
      .map(({ name, label }) => <KeyPath key={name} place={place} name={name} label={label} />),
  );
}

function pathOf(place: Place, setting: SettingInfo): string {
  return keyOf(place, setting.name).path;
}

/** Where a place that goes smoothly is between its keys, frame by frame; null until that has come, or where straight lines say it. */
function useBetween(place: Place, name: string): Spot[] | null {
  const { now } = useBench();
  const track = useNow((s) => trackOf(s.rig, place, name));
  const moving = useNow((s) => s.hand.moving);
  const [come, setCome] = useState<{ of: unknown; spots: Spot[] } | null>(null);
  const { owner, path } = keyOf(place, name);
  useEffect(() => {
    if (moving || track?.between !== "smooth") return undefined;
    const leaving = new AbortController();
    api.POST("/api/keys/between", { body: { rig: now().rig, owner, path }, signal: leaving.signal }).then(
      ({ data }) => data && setCome({ of: track, spots: data.values as Spot[] }),
      // Let go, or the service is away, which the preview says; the lines stay straight.
      () => undefined,
    );
    return () => leaving.abort();
  }, [now, owner, path, track, moving]);
  return come && come.of === track ? come.spots : null;
}

function KeyPath({ place, name, label }: { place: Place; name: string; label: string }) {
  const { now, frames } = useBench();
  const between = useBetween(place, name);
  const plate = now().plate;
  const placement = useNow(placementAtOrigin);
  const track = useNow((s) => trackOf(s.rig, place, name));
  const here = useNow((s) => s.frame);
  if (!placement || !track) return null;
  const at = track.at.map(([frame, spot]) => ({ frame, ...toScreen(placement, plate, spot as Spot) }));
  const line = between?.map((spot) => toScreen(placement, plate, spot)) ?? at;
  return (
    <g aria-label={`Path of ${label}`} role="group">
      <polyline className="dash" fill="none" points={line.map(({ x, y }) => `${x},${y}`).join(" ")} />
      {apart(at)
        .filter(({ frame }) => frame !== here)
        .map((one) => (
          <KeyPoint
            key={one.frame}
            label={`${label} at frame ${one.frame}`}
            at={one}
            onMove={(to) => frames.moveKey(place, name, one.frame, toPlate(placement, plate, to))}
            onRest={() => frames.restKey(label)}
            onOpen={() => frames.to(one.frame)}
          />
        ))}
    </g>
  );
}

interface At {
  frame: number;
  x: number;
  y: number;
}

const APART = 16; // CSS pixels from one key that can be taken hold of to the next

/** Of keys that lie close together only some, so that each can be taken hold of. */
function apart(keys: At[]): At[] {
  const shown: At[] = [];
  for (const key of keys) {
    const last = shown.at(-1);
    if (!last || Math.hypot(key.x - last.x, key.y - last.y) >= APART) shown.push(key);
  }
  return shown;
}

interface PointProps {
  label: string;
  at: { x: number; y: number };
  onMove: (to: { x: number; y: number }) => void;
  onRest: () => void;
  onOpen: () => void;
}

function KeyPoint({ label, at, onMove, onRest, onOpen }: PointProps) {
  const handle = useHandle({
    at,
    onMove,
    onStep: (across, down) => onMove({ x: at.x + across, y: at.y + down }),
    onRest,
  });
  return (
    <g role="button" tabIndex={0} aria-label={label} transform={`translate(${at.x} ${at.y})`} onDoubleClick={onOpen} {...handle}>
      <circle className="grip" r={7} />
      <circle className="halo" r={2.5} />
      <circle className="line full" r={2.5} />
    </g>
  );
}
