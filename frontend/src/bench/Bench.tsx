import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { call, said, type Box, type Catalogue, type Facts, type GroupInfo, type Light, type Plate, type Rig, type SettingInfo, type StripCell } from "../api/client";
import { go } from "../route";
import { Button, Toggle } from "../ui/Button";
import { Message } from "../ui/Message";
import { useNotices } from "../ui/Notices";
import { tone } from "../ui/theme";
import { ConflictDialog } from "./ConflictDialog";
import { CropHandles } from "./CropHandles";
import { Desk } from "./Desk";
import { Drawn } from "./Drawn";
import { EdgePointer } from "./EdgePointer";
import { ExportDialog } from "./ExportDialog";
import { GroupColumn } from "./GroupColumn";
import { Handles } from "./Handles";
import { Histograms } from "./Histograms";
import { KeysDialog } from "./KeysDialog";
import { KindSheet } from "./KindSheet";
import { Path } from "./Path";
import { PointHandles, type PointLists } from "./PointHandles";
import { PictureArea } from "./PictureArea";
import { duplicateLight, isShown, lightOf, moveLight, soloed, valuesAt, withLight, withoutLight, withValues, type Place, type Selection, type SettingValue, type Stage } from "./rig";
import { StripDialog, type Swept } from "./StripDialog";
import { TopBar } from "./TopBar";
import { useBench, type BenchModel } from "./useBench";
import { useFacts } from "./useFacts";
import { useKeys, type Key } from "./useKeys";
import { usePreview, type Wanted } from "./usePreview";
import { fitted, including, toPlate, wantedView, WHOLE, zoomed, type Placement, type Point } from "./view";

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

const Tools = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 12px;
`;

const SHORTEST_LINE = 20; // CSS pixels

function isPointLists(values: unknown): values is PointLists {
  return typeof values === "object" && values !== null && "placed" in values && "hidden" in values;
}

function firstOn(facts: Facts | null): [number, number] | undefined {
  const point = facts?.points?.find((p) => p.on);
  return point && [point.x, point.y];
}

function rounded(place: [number, number]): [number, number] {
  return [Number(place[0].toFixed(4)), Number(place[1].toFixed(4))];
}

function defaults(group: GroupInfo): Record<string, unknown> {
  return Object.fromEntries(group.settings.map((s) => [s.name, s.default]));
}

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
  const [dialog, setDialog] = useState<"export" | "keys" | "kinds" | null>(null);
  const [strip, setStrip] = useState<Swept | null>(null);
  const [tool, setTool] = useState<"crop" | "horizon" | "spot" | null>(null);
  const [clipping, setClipping] = useState(false);
  const [seen, setSeen] = useState<Box>(WHOLE);

  const selection = settled(chosen, rig);
  const light = typeof selection === "object" ? lightOf(rig, selection.light) : undefined;
  const kind = catalogue.kinds.find((k) => k.name === light?.kind);
  const angle = rig.prepare.straighten;
  // While the crop is being set, all of the frame is shown.
  const box = tool === "crop" ? WHOLE : seen;
  const placement = useMemo(() => (placed ? { ...placed, angle } : area.x > 0 ? fitted(area, plate, angle, box) : null), [placed, area, plate, angle, box]);
  const ratio = window.devicePixelRatio;

  const wanted = useMemo<Wanted | null>(() => {
    const view = placement && wantedView(placement, area, plate, ratio, box);
    if (!view) return null;
    const without = held === "without" && light ? withLight(rig, light.id, (l) => ({ ...l, on: false })) : rig;
    return {
      rig: soloed(without, held === "without" ? null : solo),
      view,
      show: held === "before" ? "before" : held === null && large && light ? `stage:${light.id}:${large}` : "result",
      light: light?.id ?? null,
      clipping,
    };
  }, [placement, area, plate, ratio, box, held, light, rig, solo, large, clipping]);
  const preview = usePreview(plate.id, wanted, dragging);
  const facts = useFacts(plate.id, rig, light?.id ?? null, !dragging);
  const told = preview.picture?.box;
  useEffect(() => {
    if (told) setSeen((now) => (JSON.stringify(now) === JSON.stringify(told) ? now : told));
  }, [told]);

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
    edit(withValues(newest.current, place, defaults(group)), `Reset ${group.label}`);
  const named = (id: string) => lightOf(newest.current, id)?.name ?? id;

  const add = (made: Light) => {
    setDialog(null);
    edit({ ...newest.current, lights: [...newest.current.lights, made] }, `Add ${made.name}`);
    setChosen({ light: made.id });
    setLarge(null);
  };

  const match = async (spot: [number, number]) => {
    if (!light) return;
    const { data, error } = await call("post", "/api/plates/{plate_id}/match", { path: { plate_id: plate.id }, body: { rig: newest.current, spot } });
    if (data) edit(withValues(newest.current, { light: light.id, stage: "colour" }, { origin: "temperature", ...data }), `${light.name}: match the picture`);
    else warn(said(error));
  };
  const pickStrip = (values: StripCell["values"]) => {
    if (!light || !strip) return;
    const next = values.reduce((r, v) => withValues(r, { light: light.id, stage: v.stage as Stage }, { [v.setting]: v.value }), newest.current);
    edit(next, `${light.name}: ${strip.setting.label}`);
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
  const see = (position: [number, number]) => setPlaced(including(area, plate, angle, position));
  const select = (next: Selection) => {
    setChosen(next);
    if (typeof next === "string") setLarge(null);
  };

  const spread = kind?.groups.find((g) => g.name === "spread");
  const spreadPlace = light ? ({ light: light.id, stage: "spread" } as const) : null;
  const spreadValues = spreadPlace ? valuesAt(rig, spreadPlace) : {};
  const positions = spread?.settings.filter((s) => s.handle === "position" && isShown(s, spreadValues)) ?? [];
  const sourcePlace = light ? ({ light: light.id, stage: "source" } as const) : null;
  const sourceValues = sourcePlace ? valuesAt(rig, sourcePlace) : {};
  const pointLists = isPointLists(sourceValues) ? sourceValues : null;
  const setPoints = (lists: PointLists, label: string) => sourcePlace && edit(withValues(newest.current, sourcePlace, { ...lists }), `${named(sourcePlace.light)}: ${label}`);
  const origin = (positions[0] ? (spreadValues[positions[0].name] as [number, number]) : undefined) ?? firstOn(facts) ?? [0.5, 0.5];
  const level = (from: Point, to: Point) => {
    // The line that was drawn is to lie level, or plumb if it is nearer to that.
    const drawn = (-Math.atan2(to.y - from.y, to.x - from.x) * 180) / Math.PI;
    const off = drawn - Math.round(drawn / 90) * 90;
    setTool(null);
    if (Math.hypot(to.x - from.x, to.y - from.y) > SHORTEST_LINE) edit(withValues(newest.current, "prepare", { straighten: Number((angle - off).toFixed(2)) }), "Straighten");
  };
  const intensity = kind?.groups.at(-1)?.settings.find((s) => s.name === "intensity") ?? catalogue.kinds[0]?.groups.at(-1)?.settings.find((s) => s.name === "intensity");

  const keys: Key[] = [
    { keys: "Ctrl Z", does: "Undo", press: bench.undo },
    { keys: "Ctrl Shift Z", does: "Redo", press: bench.redo },
    { keys: "B", does: "Hold: the picture as shot", press: () => setHeld("before"), release: () => setHeld(null) },
    { keys: "W", does: "Hold: without the selected light", press: () => setHeld("without"), release: () => setHeld(null) },
    { keys: "H", does: "Handles on or off", press: () => setHandles((now) => !now) },
    { keys: "A", does: "Add a light", press: () => setDialog("kinds") },
    { keys: "K", does: "Clipping on or off", press: () => setClipping((now) => !now) },
    { keys: "F", does: "Fit", press: fit },
    { keys: "1", does: "One to one", press: full },
    { keys: "O", does: "Selected light on or off", press: () => light && edit(withLight(rig, light.id, (l) => ({ ...l, on: !l.on })), `Switch ${named(light.id)}`) },
    { keys: "S", does: "Solo the selected light", press: () => light && setSolo(solo === light.id ? null : light.id) },
    { keys: "Ctrl D", does: "Duplicate the selected light", press: () => light && duplicate(light.id) },
    { keys: "Alt ArrowLeft", does: "Move the selected light lower", press: () => moveBy(-1) },
    { keys: "Alt ArrowRight", does: "Move the selected light higher", press: () => moveBy(1) },
    { keys: "Delete", does: "Remove the selected light", press: () => light && remove(light.id) },
    { keys: "Ctrl E", does: "Export", press: () => setDialog("export") },
    { keys: "Escape", does: "Back from a stage shown large, or from a tool", press: () => (tool ? setTool(null) : setLarge(null)) },
    { keys: "?", does: "What the keys do", press: () => setDialog("keys") },
  ];
  useKeys(keys, dialog === null && strip === null && bench.conflict === null);

  const flag = held === "before" ? "Before" : held === "without" ? `Without ${light?.name ?? "this light"}` : large && light ? `${light.name}: ${large}` : null;

  return (
    <Frame>
      <TopBar
        state={bench.state ?? { plate, revision: 0, rig, undo: null, redo: null }}
        save={bench.save}
        zoom={(placement?.scale ?? 0) * ratio}
        handles={handles}
        clipping={clipping}
        hasLight={light !== undefined}
        onUndo={bench.undo}
        onRedo={bench.redo}
        onFit={fit}
        onFull={full}
        onZoom={zoomBy}
        onHandles={setHandles}
        onClipping={setClipping}
        onBefore={(now) => setHeld(now ? "before" : null)}
        onWithout={(now) => setHeld(now ? "without" : null)}
        onExport={() => setDialog("export")}
        onHelp={() => setDialog("keys")}
      />
      <Middle data-exact={!preview.busy && preview.picture?.exact ? "yes" : "no"} data-testid="picture">
        <PictureArea plate={plate} picture={preview.picture} box={box} placement={placement} onArea={onArea} onPlacement={setPlaced}>
          {tool === "crop" && placement && (
            <CropHandles plate={plate} area={area} placement={placement} box={rig.prepare.crop ?? seen} onChange={(crop) => setting("prepare", "crop", crop)} onRest={() => rest("Crop")} />
          )}
          {tool === "horizon" && <Drawn line label="Draw along the horizon" onDone={level} />}
          {tool === "spot" && placement && (
            <Drawn
              label="Press where the warmth is to be taken from"
              onDone={(_, at) => {
                setTool(null);
                void match(toPlate(placement, plate, at));
              }}
            />
          )}
          {handles && placement && light?.on && spread && spreadPlace && held === null && tool === null && (
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
              >
                {pointLists && facts?.points && <PointHandles plate={plate} placement={placement} points={facts.points} lists={pointLists} onChange={setPoints} />}
              </Handles>
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
            says={facts?.says ?? {}}
            onAdd={() => setDialog("kinds")}
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
            facts={facts}
            onStrip={(stage, s) => setStrip({ stage, setting: s })}
            onMatch={(where) => (where === "spot" ? setTool("spot") : void match(origin))}
            points={{
              add: () => pointLists && placement && setPoints({ ...pointLists, placed: [...pointLists.placed, rounded(toPlate(placement, plate, { x: area.x / 2, y: area.y / 2 }))] }, "Add a point"),
              clear: (s) => pointLists && setPoints({ ...pointLists, [s.name]: [] }, s.label),
            }}
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
            onResetAll={() => edit({ ...newest.current, prepare: { ...newest.current.prepare, ...defaults(catalogue.plate), crop: null } }, "The picture as shot")}
            above={<Histograms facts={facts} />}
            below={
              <Tools>
                <Toggle hint="Drag the edges over the whole picture; lights stay where they are on it" isSelected={tool === "crop"} onChange={(now) => setTool(now ? "crop" : null)}>
                  Crop
                </Toggle>
                <Toggle hint="Draw a line along what should lie level" isSelected={tool === "horizon"} onChange={(now) => setTool(now ? "horizon" : null)}>
                  Draw the horizon
                </Toggle>
                <Button isDisabled={!rig.prepare.crop} hint="Shows all of the picture again" onPress={() => edit(withValues(newest.current, "prepare", { crop: null }), "Lift the crop")}>
                  Lift the crop
                </Button>
              </Tools>
            }
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
      {dialog === "kinds" && <KindSheet plate={plate} rig={rig} onPick={add} onClose={() => setDialog(null)} />}
      {strip && light && kind && <StripDialog plate={plate} rig={rig} light={light} kind={kind} swept={strip} onPick={pickStrip} onClose={() => setStrip(null)} />}
      <ConflictDialog open={bench.conflict !== null} onTheirs={bench.takeTheirs} onMine={bench.keepMine} />
    </Frame>
  );
}
