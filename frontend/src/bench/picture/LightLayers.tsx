import { useMemo } from "react";
import type { Stage, Stroke } from "../../api/client";
import { useBench, useLightId, useNow } from "../store/bench";
import { placesOf, type Spot } from "../store/places";
import { isShown, lightOf } from "../store/rig";
import { isClear, lightNow } from "../store/selectors";
import { BrushLayer } from "./BrushLayer";
import { Handles, type HandleTools } from "./Handles";
import { KeyPaths } from "./KeyPaths";
import { PointHandles } from "./PointHandles";

const NAMES: Stage[] = ["source", "spread"];

/** Everything that the selected light shows on the picture to be dragged or painted, as its settings say. */
export function LightLayers() {
  const bench = useBench();
  const id = useLightId();
  const tool = useNow((s) => s.hand.tool.is);
  const by = useNow((s) => (s.hand.tool.is === "part" ? s.hand.tool.by : null));
  const clear = useNow(isClear);
  const on = useNow((s) => lightNow(s)?.on ?? false);
  const handles = useNow((s) => s.handles);
  if (!id || !clear || !on) return null;
  if (tool === "light") return <LightBrush key={id} id={id} bench={bench} />;
  if (!handles) return null;
  // A part of a mask that takes every press leaves no handle free.
  return tool === "handles" || (tool === "part" && by === "handles") ? <LightHandles key={id} id={id} /> : null;
}

function LightHandles({ id }: { id: string }) {
  const { editing, kindOf, now } = useBench();
  const kind = useNow((s) => kindOf(lightOf(s.rig, id)));
  const points = useNow((s) => {
    const light = lightOf(s.rig, id);
    return light && kind && placesOf(light, kind).points ? (s.facts?.of_light?.points ?? null) : null;
  });
  const stages = useMemo(
    () =>
      (kind?.groups ?? [])
        .filter((g) => NAMES.includes(g.name as Stage))
        .map((group) => ({ place: { light: id, stage: group.name as Stage }, group })),
    [kind, id],
  );
  const tools = useMemo<HandleTools>(
    () => ({
      onChange: (place, setting, value) => editing.setting(place, setting.name, value),
      onRest: (label) => editing.rest(`${lightOf(now().rig, id)?.name ?? id}: ${label}`),
      onReset: (place, setting) => editing.reset(place, [setting], setting.label),
    }),
    [editing, now, id],
  );
  return (
    <Handles label="Handles on the picture" stages={stages} tools={tools}>
      <KeyPaths stages={stages} />
      {points && <PointHandles light={id} points={points} />}
    </Handles>
  );
}

function LightBrush({ id, bench: { editing, masking, kindOf, now } }: { id: string; bench: ReturnType<typeof useBench> }) {
  const kind = kindOf(lightOf(now().rig, id));
  const through = useNow((s) => {
    const spread = lightOf(s.rig, id)?.spread as Record<string, unknown> | undefined;
    const place = kind?.groups.find((g) => g.name === "spread")?.settings.find((one) => one.type === "place");
    return spread && place && isShown(place, spread) ? (spread[place.name] as Spot) : null;
  });
  const strokes = kind?.groups.find((g) => g.name === "source")?.settings.find((one) => one.type === "strokes");
  if (!strokes) return null;
  return (
    <BrushLayer
      hints={null}
      label="Paint light"
      through={through}
      onDrop={(stroke) => {
        const source = lightOf(now().rig, id)?.source as Record<string, unknown> | undefined;
        editing.ofLight(id, "source", strokes.name, [...((source?.[strokes.name] ?? []) as Stroke[]), stroke]);
        masking.dropped();
        editing.rest(`${lightOf(now().rig, id)?.name ?? id}: Paint light`);
      }}
    />
  );
}
