import { useCallback, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { call, said, type Catalogue, type GroupInfo, type Plate, type Rig, type SettingInfo } from "../api/client";
import { go } from "../route";
import { Button } from "../ui/Button";
import { Message } from "../ui/Message";
import { useNotices } from "../ui/Notices";
import { tone } from "../ui/theme";
import { ConflictDialog } from "./ConflictDialog";
import { Desk } from "./Desk";
import { EdgePointer } from "./EdgePointer";
import { ExportDialog } from "./ExportDialog";
import { GroupColumn } from "./GroupColumn";
import { Handles } from "./Handles";
import { KeysDialog } from "./KeysDialog";
import { Path } from "./Path";
import { PictureArea } from "./PictureArea";
import { duplicateLight, isShown, lightOf, moveLight, soloed, valuesAt, withLight, withoutLight, withValues, type Place, type Selection, type SettingValue, type Stage } from "./rig";
import { TopBar } from "./TopBar";
import { useBench, type BenchModel } from "./useBench";
import { useKeys, type Key } from "./useKeys";
import { usePreview, type Wanted } from "./usePreview";
import { fitted, including, wantedView, zoomed, type Placement, type Point } from "./view";

const Frame = styled.div`
  height: 100%;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 336px;
  grid-template-rows: 40px minmax(0, 1fr) 96px;
  grid-template-areas: "top top" "picture path" "desk path";
  > header { grid-area: top; }
`;

const Side = styled.aside`
  grid-area: path;
  background: ${tone.panel};
  border-left: 1px solid #111;
  min-height: 0;
`;

const Middle = styled.div`
  grid-area: picture;
  position: relative;
  display: grid;
  min-height: 0;
  min-width: 0;
`;

const Bottom = styled.div`
  grid-area: desk;
  min-width: 0;
`;

const Flag = styled.div`
  position: absolute;
  left: 12px;
  top: 10px;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 2px 4px 2px 10px;
  min-height: 26px;
  border-radius: 3px;
  background: rgb(20 20 20 / 0.8);
  color: ${tone.strong};
`;

export function Bench({ plateId, catalogue }: { plateId: number; catalogue: Catalogue }) {
  const bench = useBench(plateId);
  if (bench.failure) {
    return (
      <Message title="This plate cannot be opened">
        <p>{bench.failure}</p>
        <Button onPress={() => go("/")}>Back to the plates</Button>
      </Message>
    );
  }
  if (!bench.state || !bench.rig) return <Message title="Opening the plate…" />;
  return <OpenBench bench={bench} plate={bench.state.plate} rig={bench.rig} catalogue={catalogue} />;
}

/** Whole words for what a selection that no longer exists becomes: the last light, or the plate. */
function settled(selection: Selection, rig: Rig): Selection {
  if (typeof selection === "string" || lightOf(rig, selection.light)) return selection;
  const last = rig.lights.at(-1);
  return last ? { light: last.id } : "plate";
}

function OpenBench({ bench, plate, rig, catalogue }: { bench: BenchModel; plate: Plate; rig: Rig; catalogue: Catalogue }) {
  const { warn } = useNotices();
  const [chosen, setChosen] = useState<Selection>(() => settled({ light: "" }, rig));
  const [area, setArea] = useState<Point>({ x: 0, y: 0 });
  const [placed, setPlaced] = useState<Placement | null>(null);
  const [dragging, setDragging] = useState(false);
  const [large, setLarge] = useState<Stage | null>(null);
  const [solo, setSolo] = useState<string | null>(null);
  const [handles, setHandles] = useState(true);
  const [held, setHeld] = useState<"before" | "without" | null>(null);
  const [dialog, setDialog] = useState<"export" | "keys" | null>(null);

  const selection = settled(chosen, rig);
  const light = typeof selection === "object" ? lightOf(rig, selection.light) : undefined;
  const kind = catalogue.kinds.find((k) => k.name === light?.kind);
  const placement = useMemo(() => placed ?? (area.x > 0 ? fitted(area, plate) : null), [placed, area, plate]);
  const ratio = window.devicePixelRatio;

  const wanted = useMemo<Wanted | null>(() => {
    const view = placement && wantedView(placement, area, plate, ratio);
    if (!view) return null;
    const without = held === "without" && light ? withLight(rig, light.id, (l) => ({ ...l, on: false })) : rig;
    return {
      rig: soloed(without, held === "without" ? null : solo),
      view,
      show: held === "before" ? "before" : held === null && large && light ? `stage:${light.id}:${large}` : "result",
      light: light?.id ?? null,
    };
  }, [placement, area, plate, ratio, held, light, rig, solo, large]);
  const preview = usePreview(plate.id, wanted, dragging);

  // What was changed since the last step that is kept; the newest rig, for handlers that outlive a drawing.
  const newest = useRef(rig);
  newest.current = rig;
  const dirty = useRef(false);
  const change = (next: Rig) => {
    dirty.current = true;
    newest.current = next;
    setDragging(true);
    bench.change(next);
  };
  const rest = (label: string) => {
    setDragging(false);
    if (!dirty.current) return;
    dirty.current = false;
    bench.commit(newest.current, label);
  };
  const edit = (next: Rig, label: string) => {
    dirty.current = false;
    newest.current = next;
    bench.commit(next, label);
  };

  const onArea = useCallback((next: Point) => setArea(next), []);
  const setting = (place: Place, name: string, value: SettingValue) => change(withValues(newest.current, place, { [name]: value }));
  const reset = (place: Place, s: SettingInfo) => edit(withValues(newest.current, place, { [s.name]: s.default }), `Reset ${s.label}`);
  const resetAll = (place: Place, group: GroupInfo) =>
    edit(withValues(newest.current, place, Object.fromEntries(group.settings.map((s) => [s.name, s.default]))), `Reset ${group.label}`);
  const named = (id: string) => lightOf(newest.current, id)?.name ?? id;

  const add = async (name: string) => {
    const { data, error } = await call("get", "/api/plates/{plate_id}/new-light", { path: { plate_id: plate.id }, query: { kind: name } });
    if (!data) {
      warn(said(error));
      return;
    }
    const taken = new Set(newest.current.lights.map((l) => l.id));
    let id = data.light.id;
    for (let n = 2; taken.has(id); n++) id = `${name}-${n}`;
    edit({ ...newest.current, lights: [...newest.current.lights, { ...data.light, id }] }, `Add ${data.light.name}`);
    setChosen({ light: id });
    setLarge(null);
  };

  const duplicate = (id: string) => {
    const made = duplicateLight(newest.current, id);
    edit(made.rig, `Duplicate ${named(id)}`);
    setChosen({ light: made.id });
  };
  const remove = (id: string) => edit(withoutLight(newest.current, id), `Remove ${named(id)}`);
  const move = (id: string, to: number) => edit(moveLight(newest.current, id, to), `Move ${named(id)}`);
  const moveBy = (by: number) => {
    if (!light) return;
    const to = rig.lights.findIndex((l) => l.id === light.id) + by;
    if (to >= 0 && to < rig.lights.length) move(light.id, to);
  };

  const fit = () => setPlaced(null);
  const zoomBy = (factor: number) => placement && setPlaced(zoomed(placement, { x: area.x / 2, y: area.y / 2 }, factor));
  const full = () => placement && zoomBy(1 / ratio / placement.scale);
  const see = (position: [number, number]) => setPlaced(including(area, plate, position));
  const select = (next: Selection) => {
    setChosen(next);
    if (typeof next === "string") setLarge(null);
  };

  const spread = kind?.groups.find((g) => g.name === "spread");
  const spreadPlace = light ? ({ light: light.id, stage: "spread" } as const) : null;
  const spreadValues = spreadPlace ? valuesAt(rig, spreadPlace) : {};
  const positions = spread?.settings.filter((s) => s.handle === "position" && isShown(s, spreadValues)) ?? [];
  const intensity = kind?.groups.at(-1)?.settings.find((s) => s.name === "intensity") ?? catalogue.kinds[0]?.groups.at(-1)?.settings.find((s) => s.name === "intensity");

  const keys: Key[] = [
    { keys: "Ctrl Z", does: "Undo", press: bench.undo },
    { keys: "Ctrl Shift Z", does: "Redo", press: bench.redo },
    { keys: "B", does: "Hold: the picture as shot", press: () => setHeld("before"), release: () => setHeld(null) },
    { keys: "W", does: "Hold: without the selected light", press: () => setHeld("without"), release: () => setHeld(null) },
    { keys: "H", does: "Handles on or off", press: () => setHandles((now) => !now) },
    { keys: "F", does: "Fit", press: fit },
    { keys: "1", does: "One to one", press: full },
    { keys: "O", does: "Selected light on or off", press: () => light && edit(withLight(rig, light.id, (l) => ({ ...l, on: !l.on })), `Switch ${named(light.id)}`) },
    { keys: "S", does: "Solo the selected light", press: () => light && setSolo(solo === light.id ? null : light.id) },
    { keys: "Ctrl D", does: "Duplicate the selected light", press: () => light && duplicate(light.id) },
    { keys: "Alt ArrowLeft", does: "Move the selected light lower", press: () => moveBy(-1) },
    { keys: "Alt ArrowRight", does: "Move the selected light higher", press: () => moveBy(1) },
    { keys: "Delete", does: "Remove the selected light", press: () => light && remove(light.id) },
    { keys: "Ctrl E", does: "Export", press: () => setDialog("export") },
    { keys: "Escape", does: "Back from a stage shown large", press: () => setLarge(null) },
    { keys: "?", does: "What the keys do", press: () => setDialog("keys") },
  ];
  useKeys(keys, dialog === null && bench.conflict === null);

  const flag = held === "before" ? "Before" : held === "without" ? `Without ${light?.name ?? "this light"}` : large && light ? `${light.name}: ${large}` : null;

  return (
    <Frame>
      <TopBar
        state={bench.state ?? { plate, revision: 0, rig, undo: null, redo: null }}
        save={bench.save}
        zoom={(placement?.scale ?? 0) * ratio}
        handles={handles}
        hasLight={light !== undefined}
        onUndo={bench.undo}
        onRedo={bench.redo}
        onFit={fit}
        onFull={full}
        onZoom={zoomBy}
        onHandles={setHandles}
        onBefore={(now) => setHeld(now ? "before" : null)}
        onWithout={(now) => setHeld(now ? "without" : null)}
        onExport={() => setDialog("export")}
        onHelp={() => setDialog("keys")}
      />
      <Middle data-exact={!preview.busy && preview.picture?.exact ? "yes" : "no"} data-testid="picture">
        <PictureArea plate={plate} picture={preview.picture} placement={placement} onArea={onArea} onPlacement={setPlaced}>
          {handles && placement && light?.on && spread && spreadPlace && held === null && (
            <>
              <Handles
                plate={plate}
                area={area}
                placement={placement}
                group={spread}
                values={spreadValues}
                onChange={(name, value) => setting(spreadPlace, name, value)}
                onRest={(label) => rest(`${light.name}: ${label}`)}
                onReset={(s) => reset(spreadPlace, s)}
              />
              {positions.map((s) => (
                <EdgePointer key={s.name} label={s.label} plate={plate} area={area} placement={placement} position={spreadValues[s.name] as [number, number]} onShow={() => see(spreadValues[s.name] as [number, number])} />
              ))}
            </>
          )}
        </PictureArea>
        {flag && (
          <Flag role="status">
            {flag}
            {large && held === null && (
              <Button weight="bare" onPress={() => setLarge(null)}>
                Back to the picture
              </Button>
            )}
          </Flag>
        )}
        {(preview.error ?? (preview.connected ? null : "Waiting for the service…")) && !flag && <Flag role="alert">{preview.error ?? "Waiting for the service…"}</Flag>}
      </Middle>
      <Bottom>
        {intensity && (
          <Desk
            rig={rig}
            catalogue={catalogue}
            selection={selection}
            solo={solo}
            onSelect={select}
            onAdd={(name) => void add(name)}
            onMove={move}
            actions={{
              intensity,
              onSwitch: (id) => edit(withLight(newest.current, id, (l) => ({ ...l, on: !l.on })), `Switch ${named(id)}`),
              onSolo: (id) => setSolo(solo === id ? null : id),
              onIntensity: (id, value) => setting({ light: id, stage: "merge" }, "intensity", value),
              onIntensityRest: () => rest("Intensity"),
              onDuplicate: duplicate,
              onRemove: remove,
              onRename: (id, name) => edit(withLight(newest.current, id, (l) => ({ ...l, name })), `Rename ${named(id)}`),
            }}
          />
        )}
      </Bottom>
      <Side>
        {light && kind && (
          <Path
            plate={plate}
            light={light}
            kind={kind}
            pictures={preview.stages}
            large={large}
            onLarge={setLarge}
            onChange={(stage, name, value) => setting({ light: light.id, stage }, name, value)}
            onRest={(label) => rest(`${light.name}: ${label}`)}
            onReset={(stage, s) => reset({ light: light.id, stage }, s)}
            onResetStage={(stage, group) => resetAll({ light: light.id, stage }, group)}
            onLookAt={(value) => edit(withLight(rig, light.id, (l) => ({ ...l, look_at: value })), `${light.name}: looks at`)}
            onBringIntoView={see}
          />
        )}
        {selection === "plate" && (
          <GroupColumn
            plate={plate}
            title="Plate"
            group={catalogue.plate}
            values={valuesAt(rig, "prepare")}
            onChange={(name, value) => setting("prepare", name, value)}
            onRest={rest}
            onReset={(s) => reset("prepare", s)}
            onResetAll={() => resetAll("prepare", catalogue.plate)}
          />
        )}
        {selection === "house" && (
          <GroupColumn
            plate={plate}
            title="House light"
            group={catalogue.house}
            values={valuesAt(rig, "house")}
            onChange={(name, value) => setting("house", name, value)}
            onRest={rest}
            onReset={(s) => reset("house", s)}
            onResetAll={() => resetAll("house", catalogue.house)}
          />
        )}
      </Side>
      <ExportDialog plate={plate} rig={rig} formats={catalogue.formats} open={dialog === "export"} onClose={() => setDialog(null)} />
      <KeysDialog keys={keys} open={dialog === "keys"} onClose={() => setDialog(null)} />
      <ConflictDialog open={bench.conflict !== null} onTheirs={bench.takeTheirs} onMine={bench.keepMine} />
    </Frame>
  );
}
