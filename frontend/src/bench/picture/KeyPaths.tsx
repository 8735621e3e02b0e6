import { useMemo } from "react";
import { useHandle } from "../../ui/useHandle";
import { useBench, useNow } from "../store/bench";
import { trackOf } from "../store/keys";
import type { Spot } from "../store/places";
import { isShown, lightOf, valuesAt, type Place } from "../store/rig";
import { placementAtOrigin } from "../store/selectors";
import { toPlate, toScreen } from "./view";

/** The paths that keyed places of a light take over the frames; a key on one is dragged where the place should be there. */
export function KeyPaths({ light }: { light: string }) {
  const { kindOf } = useBench();
  const kind = useNow((s) => kindOf(lightOf(s.rig, light)));
  const keyed = useNow((s) => Object.keys(s.rig.keys[light] ?? {}).join());
  const shown = useNow((s) => {
    const values = valuesAt(s.rig, { light, stage: "spread" });
    return (kind?.groups ?? [])
      .flatMap((g) => g.settings)
      .filter((one) => one.type === "place" && isShown(one, values))
      .map((one) => one.name)
      .join();
  });
  const places = useMemo(
    () =>
      (kind?.groups ?? []).flatMap((group) =>
        group.settings
          .filter((one) => shown.split(",").includes(one.name) && keyed.split(",").includes(`${group.name}.${one.name}`))
          .map((one) => ({ place: { light, stage: group.name as "spread" }, name: one.name, label: one.label })),
      ),
    [kind, keyed, shown, light],
  );
  return places.map((one) => <KeyPath key={one.name} {...one} />);
}

function KeyPath({ place, name, label }: { place: Place; name: string; label: string }) {
  const { now, frames } = useBench();
  const plate = now().plate;
  const placement = useNow(placementAtOrigin);
  const track = useNow((s) => trackOf(s.rig, place, name));
  const here = useNow((s) => s.frame);
  if (!placement || !track) return null;
  const at = track.at.map(([frame, spot]) => ({ frame, ...toScreen(placement, plate, spot as Spot) }));
  return (
    <g aria-label={`Path of ${label}`} role="group">
      <polyline className="dash" fill="none" points={at.map(({ x, y }) => `${x},${y}`).join(" ")} />
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
