import { useEffect, useMemo, useState } from "react";
import styled from "styled-components";
import type { Catalogue, Owner, Painting, Plate, Rig, SettingInfo, SettingOf, Show, Stroke } from "../api/client";
import { go } from "../route";
import { RigSheet } from "../rigs/RigSheet";
import { Button } from "../ui/Button";
import { Message } from "../ui/Message";
import { tone } from "../ui/theme";
import { ConflictDialog } from "./ConflictDialog";
import { CropHandles } from "./CropHandles";
import { Desk } from "./Desk";
import { Drawn } from "./Drawn";
import { EdgePointer } from "./EdgePointer";
import { ExportDialog } from "./ExportDialog";
import { FinderMarks } from "./FinderMarks";
import { GroupColumn } from "./GroupColumn";
import { KeysDialog } from "./KeysDialog";
import { KindSheet } from "./KindSheet";
import { LightColumn } from "./LightColumn";
import { LightLayers } from "./LightLayers";
import { MaskLayers } from "./masks/MaskLayers";
import { MaskPanel } from "./masks/MaskPanel";
import { MatteColumn } from "./masks/MatteColumn";
import { useMasking } from "./masks/useMasking";
import { useMattes } from "./masks/useMattes";
import { PictureArea } from "./PictureArea";
import { placesOf, type Places } from "./places";
import { PlateColumn } from "./PlateColumn";
import { PointHandles } from "./PointHandles";
import {
  HOUSE,
  lightOf,
  lightOwner,
  maskOf,
  matteOf,
  matteOwner,
  soloed,
  valuesAt,
  withLight,
  withValues,
  type Selection,
  type Stage,
} from "./rig";
import { StripDialog, type Swept } from "./StripDialog";
import { CompareBar, sideOf, type Comparison } from "./takes/CompareBar";
import { SplitLine } from "./takes/SplitLine";
import { TakesDialog } from "./takes/TakesDialog";
import { useTakes } from "./takes/useTakes";
import { ThingsContext } from "./things";
import type { Tool } from "./tools";
import { TopBar } from "./TopBar";
import { useBench, type BenchModel } from "./useBench";
import { useEditing } from "./useEditing";
import { useFacts } from "./useFacts";
import { useFinder } from "./useFinder";
import { useKeptFiles } from "./useKeptFiles";
import { useKeys, type Key } from "./useKeys";
import { useLights } from "./useLights";
import { usePreview, type Wanted } from "./usePreview";
import { useView } from "./useView";
import { levelled, toPlate, type Point } from "./view";

const Frame = styled.div`
  height: 100%;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 336px;
  grid-template-rows: 40px minmax(0, 1fr) 96px;
  grid-template-areas: "top top" "picture path" "desk path";
  > header {
    grid-area: top;
  }
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

const NOWHERE: Places = { positions: [], points: false };

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
  if (selection === "plate" || selection.of === "house") return selection;
  if (selection.of === "matte") return matteOf(rig, selection.id) ? selection : "plate";
  if (lightOf(rig, selection.id)) return selection;
  const last = rig.lights.at(-1);
  return last ? lightOwner(last.id) : "plate";
}

function OpenBench({ bench, plate, rig, catalogue }: { bench: BenchModel; plate: Plate; rig: Rig; catalogue: Catalogue }) {
  const [chosen, setChosen] = useState<Selection>(() => settled(lightOwner(""), rig));
  const [large, setLarge] = useState<Stage | null>(null);
  const [solo, setSolo] = useState<string | null>(null);
  const [handles, setHandles] = useState(true);
  const [held, setHeld] = useState<"before" | "without" | null>(null);
  const [dialog, setDialog] = useState<"export" | "keys" | "kinds" | "takes" | "rigs" | null>(null);
  const [strip, setStrip] = useState<Swept | null>(null);
  const [tool, setTool] = useState<Tool | null>(null);
  const [lightStroke, setLightStroke] = useState<Stroke | null>(null);
  const [clipping, setClipping] = useState(false);
  const [comparison, setComparison] = useState<Comparison | null>(null);
  const [split, setSplit] = useState(0.5);

  const selection = settled(chosen, rig);
  const light = selection !== "plate" && selection.of === "light" ? lightOf(rig, selection.id) : undefined;
  const matte = selection !== "plate" && selection.of === "matte" ? matteOf(rig, selection.id) : undefined;
  const kind = catalogue.kinds.find((k) => k.name === light?.kind);
  const angle = rig.prepare.straighten;

  const takes = useTakes(plate.id);
  const things = useKeptFiles(plate, rig, bench.refresh);
  const editing = useEditing(plate.id, bench, rig, (owner, part) => {
    setChosen(owner);
    masking.open(owner, part);
  });
  const { newest, edit, rest } = editing;
  const view = useView(plate, angle, tool === "crop", comparison?.way === "beside");
  const { area, placement } = view;
  const masking = useMasking(selection, { plate, rig, parts: catalogue.parts, editing });
  const lights = useLights({ plate, editing, choose: setChosen });
  const mattes = useMattes({ rig, parts: catalogue.parts, editing, masking });
  const finder = useFinder(plate, editing, (found) => view.see(...found));

  const { owner, view: maskView } = masking;
  const painting = useMemo<Painting | null>(
    () => masking.painting ?? (lightStroke && light ? { owner: lightOwner(light.id), part: null, stroke: lightStroke } : null),
    [masking.painting, lightStroke, light],
  );
  const lightId = light?.id;
  const owned = JSON.stringify(owner);
  const shown = useMemo<Show>(() => {
    const of = JSON.parse(owned) as Owner | null;
    if (held === "before") return { what: "before" };
    if (held === null && large && lightId) return { what: "stage", light: lightId, stage: large };
    if (held === null && of && maskView !== "off") {
      if (maskView === "light") return lightId ? { what: "light", light: lightId } : { what: "result" };
      return { what: maskView === "over" ? "cover" : "mask", owner: of };
    }
    return { what: "result" };
  }, [held, large, lightId, owned, maskView]);
  const lit = useMemo(() => {
    const without = held === "without" && light ? withLight(rig, light.id, (l) => ({ ...l, on: false })) : rig;
    return soloed(without, held === "without" ? null : solo);
  }, [held, light, rig, solo]);
  const wanted = useMemo<Wanted | null>(() => {
    if (!view.wanted) return null;
    const side = comparison ? sideOf(comparison.left, rig, takes.takes) : { rig: lit, show: shown };
    return {
      ...side,
      lead: comparison ? null : bench.lead,
      view: view.wanted,
      light: light?.id ?? null,
      clipping,
      painting: comparison ? null : painting,
    };
  }, [view.wanted, comparison, rig, takes.takes, lit, shown, bench.lead, light?.id, clipping, painting]);
  const wantedBeside = useMemo<Wanted | null>(
    () => (comparison && wanted ? { ...wanted, ...sideOf(comparison.right, rig, takes.takes), light: null } : null),
    [comparison, wanted, rig, takes.takes],
  );
  const preview = usePreview(plate.id, wanted, editing.dragging || painting !== null);
  const beside = usePreview(plate.id, wantedBeside, false, comparison !== null);
  const facts = useFacts(plate.id, rig, light?.id ?? null, !editing.dragging);
  const told = preview.picture?.box;
  const { onSeen } = view;
  useEffect(() => {
    if (told) onSeen(told);
  }, [told, onSeen]);

  const compare = (next: Comparison | null) => {
    // The view is fitted anew where the room for each picture changes.
    if (next?.way !== comparison?.way) view.fit();
    setComparison(next);
  };
  const select = (next: Selection) => {
    setChosen(next);
    setTool(null);
    finder.dismiss();
    masking.select(null);
    if (next === "plate" || next.of === "house") setLarge(null);
  };

  const places = useMemo(() => (light && kind ? placesOf(light, kind) : NOWHERE), [light, kind]);
  const level = (from: Point, to: Point) => {
    setTool(null);
    const straighten = levelled(angle, from, to);
    if (straighten !== null) edit(withValues(newest.current, "prepare", { straighten }), "Straighten");
  };
  const maskPanel = (of: Owner) => {
    const mask = maskOf(rig, of);
    return (
      mask && (
        <MaskPanel
          plate={plate}
          mask={mask}
          ofLight={of.of !== "matte"}
          parts={catalogue.parts}
          common={catalogue.part_common}
          brushGroup={catalogue.brush}
          masking={masking}
          actions={mattes.maskActions(of)}
        />
      )
    );
  };
  const intensity = (kind ?? catalogue.kinds[0])?.groups
    .at(-1)
    ?.settings.find((s): s is SettingOf<"number"> => s.type === "number" && s.name === "intensity");

  const keys: Key[] = [
    { keys: "Ctrl Z", does: "Undo", press: bench.undo },
    { keys: "Ctrl Shift Z", does: "Redo", press: bench.redo },
    { keys: "B", does: "Hold: the picture as shot", press: () => setHeld("before"), release: () => setHeld(null) },
    { keys: "W", does: "Hold: without the selected light", press: () => setHeld("without"), release: () => setHeld(null) },
    { keys: "H", does: "Handles on or off", press: () => setHandles((now) => !now) },
    { keys: "A", does: "Add a light", press: () => setDialog("kinds") },
    { keys: "K", does: "Clipping on or off", press: () => setClipping((now) => !now) },
    { keys: "F", does: "Fit", press: view.fit },
    { keys: "1", does: "One to one", press: view.full },
    { keys: "O", does: "Selected light on or off", press: () => light && lights.turn(light.id) },
    { keys: "S", does: "Solo the selected light", press: () => light && setSolo(solo === light.id ? null : light.id) },
    {
      keys: "Ctrl Shift D",
      does: "Copy the selected light with an offset, as a group",
      press: () => light && lights.copies(light.id, 1),
    },
    { keys: "Ctrl D", does: "Duplicate the selected light", press: () => light && lights.duplicate(light.id) },
    { keys: "Alt ArrowLeft", does: "Move the selected light lower", press: () => light && lights.moveBy(light.id, -1) },
    { keys: "Alt ArrowRight", does: "Move the selected light higher", press: () => light && lights.moveBy(light.id, 1) },
    { keys: "Delete", does: "Remove the selected light", press: () => light && lights.remove(light.id) },
    { keys: "M", does: "Mask overlay on or off", press: () => masking.setView(masking.view === "over" ? "off" : "over") },
    {
      keys: "N",
      does: "Paint on the selected light's mask, or stop",
      press: () => (masking.index === null ? masking.paint() : masking.select(null)),
    },
    { keys: "I", does: "Invert the mask", press: () => masking.owner && mattes.maskActions(masking.owner).onInvert() },
    { keys: "T", does: "Takes", press: () => setDialog("takes") },
    { keys: "R", does: "Rigs", press: () => setDialog("rigs") },
    { keys: "Ctrl E", does: "Export", press: () => setDialog("export") },
    {
      keys: "Escape",
      does: "Leave a comparison, a tool, a mask part or an enlarged stage",
      press: () =>
        comparison
          ? compare(null)
          : finder.proposals
            ? finder.dismiss()
            : tool
              ? setTool(null)
              : masking.index !== null
                ? masking.select(null)
                : setLarge(null),
    },
    { keys: "?", does: "What the keys do", press: () => setDialog("keys") },
  ];
  useKeys(keys, dialog === null && strip === null && bench.conflict === null);

  const covered = masking.mask?.start === "everything" ? "kept off" : "let in";
  const tinted = owner && maskView === "over" ? (matte ? "Tinted: the matte" : `Tinted: where the light is ${covered}`) : null;
  const flag =
    held === "before"
      ? "Before"
      : held === "without"
        ? `Without ${light?.name ?? "this light"}`
        : large && light
          ? `${light.name}: ${large}`
          : tinted;

  const clear = held === null && (tool === null || tool === "paint") && comparison === null;
  return (
    <ThingsContext.Provider value={things}>
      <Frame>
        <TopBar
          state={bench.state ?? { plate, revision: 0, rig, undo: null, redo: null }}
          save={editing.asking && bench.save.is === "saved" ? { is: "saving" } : bench.save}
          zoom={view.zoom}
          handles={handles}
          clipping={clipping}
          hasLight={light !== undefined}
          onUndo={bench.undo}
          onRedo={bench.redo}
          onFit={view.fit}
          onFull={view.full}
          onZoom={view.zoomBy}
          onHandles={setHandles}
          onClipping={setClipping}
          onBefore={(now) => setHeld(now ? "before" : null)}
          onWithout={(now) => setHeld(now ? "without" : null)}
          onTakes={() => setDialog("takes")}
          onRigs={() => setDialog("rigs")}
          onExport={() => setDialog("export")}
          onHelp={() => setDialog("keys")}
        />
        <Middle data-exact={!preview.busy && preview.picture?.exact ? "yes" : "no"} data-testid="picture">
          <PictureArea
            plate={plate}
            picture={preview.picture}
            other={comparison ? { picture: beside.picture, split: comparison.way === "split" ? split : null } : null}
            box={view.box}
            placement={placement}
            onArea={view.setArea}
            onPlacement={view.setPlaced}
          >
            {tool === "crop" && placement && (
              <CropHandles
                plate={plate}
                area={area}
                placement={placement}
                box={rig.prepare.crop ?? view.seen}
                least={catalogue.limits.smallest_crop}
                onChange={(crop) => editing.setting("prepare", "crop", crop)}
                onRest={() => rest("Crop")}
              />
            )}
            {tool === "horizon" && <Drawn line label="Draw along the horizon" onDone={level} />}
            {tool === "spot" && placement && (
              <Drawn
                label="Click where the colour should be matched"
                onDone={(_, at) => {
                  setTool(null);
                  if (light) lights.match(light.id, toPlate(placement, plate, at));
                }}
              />
            )}
            {comparison?.way === "split" && <SplitLine at={split} onMove={setSplit} />}
            {comparison && <CompareBar comparison={comparison} takes={takes.takes} onChange={compare} />}
            {placement && clear && finder.proposals && (
              <FinderMarks
                plate={plate}
                area={area}
                placement={placement}
                proposals={finder.proposals}
                onAccept={(proposal) => light && finder.accept(proposal, light)}
              />
            )}
            {placement && clear && masking.part && masking.owner && (
              <MaskLayers
                plate={plate}
                area={area}
                placement={placement}
                masking={masking}
                brushGroup={catalogue.brush}
                onChange={(name, value) =>
                  masking.owner && masking.index !== null && editing.setting({ mask: masking.owner, part: masking.index }, name, value)
                }
                onRest={rest}
              />
            )}
            {handles && placement && light?.on && kind && clear && !finder.proposals && masking.part === null && (
              <>
                <LightLayers
                  plate={plate}
                  area={area}
                  placement={placement}
                  light={light}
                  kind={kind}
                  painting={tool === "paint"}
                  brush={masking.brush}
                  brushGroup={catalogue.brush}
                  onResize={masking.setBrush}
                  onDraw={setLightStroke}
                  onChange={(stage, s, value) => editing.ofLight(light.id, stage, s.name, value)}
                  onRest={(label) => rest(`${light.name}: ${label}`)}
                  onReset={(stage, s) => editing.resetOfLight(light.id, stage, [s], s.label)}
                >
                  {places.points && facts?.of_light?.points && (
                    <PointHandles plate={plate} placement={placement} light={light.id} points={facts.of_light.points} ask={editing.ask} />
                  )}
                </LightLayers>
                {places.positions.map(({ setting, at }) => (
                  <EdgePointer
                    key={setting.name}
                    label={setting.label}
                    plate={plate}
                    area={area}
                    placement={placement}
                    position={at}
                    onShow={() => view.see(at)}
                  />
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
          {(preview.error ?? (preview.connected ? null : "Waiting for the service…")) && !flag && (
            <Flag role="alert">{preview.error ?? "Waiting for the service…"}</Flag>
          )}
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
              onMove={lights.move}
              actions={{
                intensity,
                onSwitch: lights.turn,
                onSolo: (id) => setSolo(solo === id ? null : id),
                longest: catalogue.limits.name_length,
                onIntensity: (id, value) => editing.ofLight(id, "merge", intensity.name, value),
                onIntensityRest: () => rest("Intensity"),
                onDuplicate: lights.duplicate,
                onCopies: lights.copies,
                onLeave: lights.leave,
                onRemove: lights.remove,
                onRename: lights.rename,
              }}
            />
          )}
        </Bottom>
        <Side>
          {light && kind && (
            <LightColumn
              plate={plate}
              rig={rig}
              light={light}
              kind={kind}
              catalogue={catalogue}
              places={places}
              facts={facts}
              pictures={preview.stages}
              large={large}
              tool={tool}
              editing={editing}
              lights={lights}
              masking={masking}
              maskPanel={maskPanel(lightOwner(light.id))}
              middle={() => placement && toPlate(placement, plate, { x: area.x / 2, y: area.y / 2 })}
              onLarge={setLarge}
              onTool={setTool}
              onSee={(place) => view.see(place)}
              onStrip={(stage: Stage, setting: SettingInfo) => setStrip({ stage, setting })}
              onFind={finder.find}
            />
          )}
          {matte && (
            <MatteColumn
              matte={matte}
              longest={catalogue.limits.name_length}
              note="An area of this plate. To keep a light behind it or inside it, add a Matte part to the light's mask."
              onRename={(name) => mattes.rename(matte, name)}
              onDone={() => select("plate")}
            >
              {maskPanel(matteOwner(matte.id))}
            </MatteColumn>
          )}
          {selection === "plate" && (
            <PlateColumn
              plate={plate}
              rig={rig}
              catalogue={catalogue}
              facts={facts}
              editing={editing}
              tool={tool}
              onTool={setTool}
              onNewMatte={mattes.add}
              onMatte={(m) => {
                setChosen(matteOwner(m.id));
                masking.select(null);
              }}
              onRemoveMatte={mattes.remove}
            />
          )}
          {selection !== "plate" && selection.of === "house" && (
            <GroupColumn
              plate={plate}
              title="House light"
              group={catalogue.house}
              values={valuesAt(rig, "house")}
              onChange={(name, value) => editing.setting("house", name, value)}
              onRest={rest}
              onReset={(s) => editing.reset("house", s)}
              onResetAll={() => editing.resetAll("house", catalogue.house)}
              below={maskPanel(HOUSE)}
            />
          )}
        </Side>
        <ExportDialog
          plate={plate}
          rig={rig}
          info={catalogue.export}
          seen={view.seen}
          open={dialog === "export"}
          onClose={() => setDialog(null)}
        />
        <KeysDialog keys={keys} open={dialog === "keys"} onClose={() => setDialog(null)} />
        <TakesDialog
          takes={takes}
          rig={rig}
          longest={catalogue.limits.name_length}
          open={dialog === "takes"}
          onClose={() => setDialog(null)}
          onBack={(take) => {
            edit(take.rig, `Restore ${take.name}`);
            setDialog(null);
          }}
          onCompare={(take) => {
            setDialog(null);
            compare({ left: String(take.id), right: "now", way: comparison?.way ?? "split" });
          }}
        />
        {dialog === "rigs" && (
          <RigSheet
            plate={plate}
            rig={rig}
            longest={catalogue.limits.name_length}
            onApply={(saved, some) => {
              setDialog(null);
              lights.apply(saved, some);
            }}
            onClose={() => setDialog(null)}
          />
        )}
        {dialog === "kinds" && (
          <KindSheet
            plate={plate}
            rig={rig}
            onPick={(made) => {
              setDialog(null);
              setLarge(null);
              lights.add(made);
              const paints =
                catalogue.kinds.find((k) => k.name === made.kind)?.groups[0]?.settings.some((s) => s.type === "strokes") ?? false;
              setTool(paints ? "paint" : null);
            }}
            onClose={() => setDialog(null)}
          />
        )}
        {strip && light && kind && (
          <StripDialog
            plate={plate}
            rig={rig}
            light={light}
            kind={kind}
            swept={strip}
            onPick={(values) => lights.pick(light.id, strip.setting.label, values)}
            onClose={() => setStrip(null)}
          />
        )}
        <ConflictDialog open={bench.conflict !== null} onTheirs={bench.takeTheirs} onMine={bench.keepMine} />
      </Frame>
    </ThingsContext.Provider>
  );
}
