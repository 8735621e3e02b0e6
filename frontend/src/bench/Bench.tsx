import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { call, said, sendFile, type Box, type Catalogue, type Facts, type GroupInfo, type Light, type Mask, type Matte, type Plate, type Proposal, type Rig, type SavedRig, type SettingInfo, type StripCell, type Take } from "../api/client";
import { go } from "../route";
import { Button, Toggle } from "../ui/Button";
import { Message } from "../ui/Message";
import { useNotices } from "../ui/Notices";
import { RigSheet } from "../rigs/RigSheet";
import { tone } from "../ui/theme";
import { ConflictDialog } from "./ConflictDialog";
import { CropHandles } from "./CropHandles";
import { Desk } from "./Desk";
import { Drawn } from "./Drawn";
import { EdgePointer } from "./EdgePointer";
import { ExportDialog } from "./ExportDialog";
import { FinderMarks } from "./FinderMarks";
import { GroupColumn } from "./GroupColumn";
import { Histograms } from "./Histograms";
import { KeysDialog } from "./KeysDialog";
import { KindSheet } from "./KindSheet";
import { LightLayers } from "./LightLayers";
import { MaskLayers } from "./masks/MaskLayers";
import { MaskPanel, type MaskActions } from "./masks/MaskPanel";
import { MatteColumn } from "./masks/MatteColumn";
import { MatteList } from "./masks/MatteList";
import { useMasking } from "./masks/useMasking";
import { Numbers } from "./Numbers";
import { Path } from "./Path";
import { PointHandles, type PointLists } from "./PointHandles";
import { PictureArea } from "./PictureArea";
import { duplicateLight, freeId, isShown, lightOf, maskOf, maskShow, matteOf, moveLight, newPart, soloed, valuesAt, withLight, withMask, withMatte, withoutLight, withShared, withValues, type Owner, type Place, type Selection, type SettingValue, type Stage } from "./rig";
import { SettingGroup } from "./SettingGroup";
import { StripDialog, type Swept } from "./StripDialog";
import { CompareBar, sideOf, type Comparison } from "./takes/CompareBar";
import { SplitLine } from "./takes/SplitLine";
import { TakesDialog } from "./takes/TakesDialog";
import { useTakes } from "./takes/useTakes";
import { ThingsContext, type Things } from "./things";
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
  const point = facts?.of_light?.points?.find((p) => p.on);
  return point && [point.x, point.y];
}

/** One more quad, as far beside the last as that is beside the one before it. */
function besideLast(quads: [number, number][][], usual: [number, number][][]): [number, number][] {
  const last = quads.at(-1) ?? usual[0] ?? [];
  const before = quads.at(-2);
  return last.map((corner, k) => {
    const from = before?.[k];
    return rounded(from ? [2 * corner[0] - from[0], 2 * corner[1] - from[1]] : quads.length === 0 ? corner : [corner[0] + 0.12, corner[1]]);
  });
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
  if (typeof selection === "string") return selection;
  if ("matte" in selection) return matteOf(rig, selection.matte) ? selection : "plate";
  if (lightOf(rig, selection.light)) return selection;
  const last = rig.lights.at(-1);
  return last ? { light: last.id } : "plate";
}

function OpenBench({ bench, plate, rig, catalogue }: { bench: BenchModel; plate: Plate; rig: Rig; catalogue: Catalogue }) {
  const { say, warn } = useNotices();
  const [chosen, setChosen] = useState<Selection>(() => settled({ light: "" }, rig));
  const [area, setArea] = useState<Point>({ x: 0, y: 0 });
  const [placed, setPlaced] = useState<Placement | null>(null);
  const [dragging, setDragging] = useState(false);
  const [large, setLarge] = useState<Stage | null>(null);
  const [solo, setSolo] = useState<string | null>(null);
  const [handles, setHandles] = useState(true);
  const [held, setHeld] = useState<"before" | "without" | null>(null);
  const [dialog, setDialog] = useState<"export" | "keys" | "kinds" | "takes" | "rigs" | null>(null);
  const [strip, setStrip] = useState<Swept | null>(null);
  const [tool, setTool] = useState<"crop" | "horizon" | "spot" | "paint" | null>(null);
  const [clipping, setClipping] = useState(false);
  const [seen, setSeen] = useState<Box>(WHOLE);
  const [proposals, setProposals] = useState<Proposal[] | null>(null);
  const [comparison, setComparison] = useState<Comparison | null>(null);
  const [split, setSplit] = useState(0.5);
  const [files, setFiles] = useState<Record<string, string>>({});
  const takes = useTakes(plate.id);

  const selection = settled(chosen, rig);
  const light = typeof selection === "object" && "light" in selection ? lightOf(rig, selection.light) : undefined;
  const matte = typeof selection === "object" && "matte" in selection ? matteOf(rig, selection.matte) : undefined;
  const kind = catalogue.kinds.find((k) => k.name === light?.kind);
  const angle = rig.prepare.straighten;
  // While the crop is being set, all of the frame is shown.
  const box = tool === "crop" ? WHOLE : seen;
  // Side by side each picture has half of the area.
  const pane = useMemo<Point>(() => (comparison?.way === "beside" ? { x: area.x / 2, y: area.y } : area), [area, comparison?.way]);
  const placement = useMemo(() => (placed ? { ...placed, angle } : pane.x > 0 ? fitted(pane, plate, angle, box) : null), [placed, pane, plate, angle, box]);
  const ratio = window.devicePixelRatio;

  // What was changed since the last step that is kept; the newest rig, for handlers that outlive a drawing.
  const newest = useRef(rig);
  newest.current = rig;
  const dirty = useRef(false);
  const edit = (next: Rig, label: string) => {
    dirty.current = false;
    newest.current = next;
    bench.commit(next, label);
  };
  const masking = useMasking(selection, { plate, rig, newest, parts: catalogue.parts, edit });

  const { owner, view: maskView, painting } = masking;
  const shown = useMemo(() => {
    if (held === "before") return "before";
    if (held === null && large && light) return `stage:${light.id}:${large}`;
    if (held === null && owner && maskView !== "off") {
      if (maskView === "light") return light ? `light:${light.id}` : "result";
      return maskView === "over" ? `over:${maskShow(owner)}` : maskShow(owner);
    }
    return "result";
  }, [held, large, light, owner, maskView]);
  const lit = useMemo(() => {
    const without = held === "without" && light ? withLight(rig, light.id, (l) => ({ ...l, on: false })) : rig;
    return soloed(without, held === "without" ? null : solo);
  }, [held, light, rig, solo]);
  const wanted = useMemo<Wanted | null>(() => {
    const view = placement && wantedView(placement, pane, plate, ratio, box);
    if (!view) return null;
    const side = comparison ? sideOf(comparison.left, rig, takes.takes) : { rig: lit, show: shown };
    return { ...side, view, light: light?.id ?? null, clipping, painting: comparison ? null : painting };
  }, [placement, pane, plate, ratio, box, comparison, rig, takes.takes, lit, shown, light?.id, clipping, painting]);
  const wantedBeside = useMemo<Wanted | null>(
    () => (comparison && wanted ? { ...wanted, ...sideOf(comparison.right, rig, takes.takes), light: null } : null),
    [comparison, wanted, rig, takes.takes],
  );
  const preview = usePreview(plate.id, wanted, dragging || painting !== null);
  const beside = usePreview(plate.id, wantedBeside, false, comparison !== null);
  const facts = useFacts(plate.id, rig, light?.id ?? null, !dragging);
  const told = preview.picture?.box;
  useEffect(() => {
    if (told) setSeen((now) => (JSON.stringify(now) === JSON.stringify(told) ? now : told));
  }, [told]);

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

  const onArea = useCallback((next: Point) => setArea(next), []);
  const setting = (place: Place, name: string, value: SettingValue) => change(withValues(newest.current, place, { [name]: value }));
  // What is changed of one light is changed of all that belong together with it, but for where each is.
  const shared = (id: string, stage: Stage, s: SettingInfo, value: SettingValue) => change(withShared(newest.current, id, stage, { [s.name]: value }, s.own));
  const reset = (place: Place, s: SettingInfo) => edit(withValues(newest.current, place, { [s.name]: s.default }), `Reset ${s.label}`);
  const resetShared = (id: string, stage: Stage, s: SettingInfo) => edit(withShared(newest.current, id, stage, { [s.name]: s.default }, s.own), `Reset ${s.label}`);
  const resetAll = (place: Place, group: GroupInfo) =>
    edit(withValues(newest.current, place, defaults(group)), `Reset ${group.label}`);
  const infoOf = (id: string, stage: Stage, name: string) =>
    catalogue.kinds.find((k) => k.name === lightOf(newest.current, id)?.kind)?.groups.find((g) => g.name === stage)?.settings.find((s) => s.name === name);
  const named = (id: string) => lightOf(newest.current, id)?.name ?? id;

  const add = (made: Light) => {
    setDialog(null);
    edit({ ...newest.current, lights: [...newest.current.lights, made] }, `Add ${made.name}`);
    setChosen({ light: made.id });
    setLarge(null);
    const paints = catalogue.kinds.find((k) => k.name === made.kind)?.groups[0]?.settings.some((s) => s.handle === "strokes") ?? false;
    setTool(paints ? "paint" : null);
  };

  const match = async (spot: [number, number]) => {
    if (!light) return;
    const { data, error } = await call("post", "/api/plates/{plate_id}/match", { path: { plate_id: plate.id }, body: { rig: newest.current, spot } });
    if (data) edit(withShared(newest.current, light.id, "colour", { origin: "temperature", ...data }, false), `${light.name}: match the picture`);
    else warn(said(error));
  };
  const pickStrip = (values: StripCell["values"]) => {
    if (!light || !strip) return;
    const next = values.reduce((r, v) => withShared(r, light.id, v.stage as Stage, { [v.setting]: v.value }, infoOf(light.id, v.stage as Stage, v.setting)?.own ?? false), newest.current);
    edit(next, `${light.name}: ${strip.setting.label}`);
  };

  const find = async () => {
    const { data, error } = await call("post", "/api/plates/{plate_id}/finder", { path: { plate_id: plate.id }, body: { rig: newest.current } });
    if (!data) {
      warn(said(error));
      return;
    }
    setProposals(data.ranked);
    if (data.ranked.length === 0) say("Nothing in the picture says where its light comes from; place the light by eye.");
    else setPlaced(including(area, plate, angle, ...data.ranked.map((p) => p.place)));
  };
  const accept = (proposal: Proposal) => {
    setProposals(null);
    if (!light) return;
    const spot = rounded(proposal.place);
    const first = positions[0];
    const placed = first
      ? withValues(newest.current, { light: light.id, stage: "spread" }, { [first.name]: spot })
      : pointLists && sourcePlace
        ? withValues(newest.current, sourcePlace, { placed: [...pointLists.placed, spot] })
        : newest.current;
    const colour = { origin: "temperature", temperature: proposal.temperature, tint: proposal.tint };
    edit(withValues(placed, { light: light.id, stage: "colour" }, colour), `${light.name}: light from the picture`);
  };

  const goBack = (take: Take) => {
    edit(take.rig, `Go back to ${take.name}`);
    setDialog(null);
  };
  const applySaved = async (saved: SavedRig, lights: string[] | null) => {
    setDialog(null);
    const { data, error } = await call("post", "/api/plates/{plate_id}/apply", { path: { plate_id: plate.id }, body: { onto: newest.current, saved: saved.id, lights } });
    if (!data) {
      warn(said(error));
      return;
    }
    edit(data.rig, `Apply ${saved.name}`);
    setChosen({ light: data.rig.lights.at(-1)?.id ?? "" });
    data.notes.forEach((note) => warn(note));
  };

  // Mattes and masks
  const things = useMemo<Things>(
    () => ({
      mattes: rig.mattes.map((m) => ({ id: m.id, name: m.name || m.id })),
      files,
      bring: async (file, anyShape) => {
        const { data, error } = await sendFile(plate.id, file, anyShape);
        if (!data) {
          warn(said(error));
          return null;
        }
        setFiles((all) => ({ ...all, [data.name]: data.file_name }));
        return data.name;
      },
    }),
    [rig.mattes, files, plate.id, warn],
  );
  useEffect(() => {
    call("get", "/api/plates/{plate_id}/files", { path: { plate_id: plate.id } }).then(
      ({ data }) => data && setFiles(data.names),
      // The bench says that the service is away.
      () => undefined,
    );
  }, [plate.id]);
  const newMatte = (kind: string): Matte | null => {
    const info = catalogue.parts.find((p) => p.name === kind);
    if (!info) return null;
    const id = freeId("matte", newest.current.mattes.map((m) => m.id));
    const made: Matte = { id, name: kind === "subject" ? "Subject" : `${info.title} matte`, mask: { start: "nothing", parts: [] } };
    return { ...made, mask: { ...made.mask, parts: [newPart(info, made.mask)] } };
  };
  const addMatte = (kind: string) => {
    const made = newMatte(kind);
    if (!made) return;
    edit({ ...newest.current, mattes: [...newest.current.mattes, made] }, `New matte ${made.name}`);
    setChosen({ matte: made.id });
    masking.open({ matte: made.id }, 0, kind === "subject");
  };
  const removeMatte = (gone: Matte) => {
    const uses = (mask: Mask) => mask.parts.some((p) => p.part === "matte" && p.matte === gone.id);
    const users = [...newest.current.lights.filter((l) => uses(l.mask)).map((l) => l.name), ...(uses(newest.current.house.mask) ? ["the house light"] : [])];
    if (users.length > 0) say(`${gone.name} was used by ${users.join(" and ")}, which ${users.length === 1 ? "goes" : "go"} on without it. Undo brings it back.`);
    edit({ ...newest.current, mattes: newest.current.mattes.filter((m) => m.id !== gone.id) }, `Remove the matte ${gone.name}`);
  };
  const nameOf = (of: Owner) => (of === "house" ? "the house light" : "light" in of ? named(of.light) : (matteOf(newest.current, of.matte)?.name ?? of.matte));
  const maskActions = (of: Owner): MaskActions => {
    const others: Owner[] = ["house", ...rig.lights.map((l) => ({ light: l.id })), ...rig.mattes.map((m) => ({ matte: m.id }))];
    const mask = () => maskOf(newest.current, of) ?? { start: "everything" as const, parts: [] };
    return {
      onStart: (start) => edit(withMask(newest.current, of, { ...mask(), start }), "Mask begins with"),
      onInvert: () => {
        call("post", "/api/masks/inverted", { body: mask() }).then(
          ({ data, error }) => (data ? edit(withMask(newest.current, of, data), `Invert the mask of ${nameOf(of)}`) : warn(said(error))),
          () => warn("The mask was not inverted: the service does not answer."),
        );
      },
      copies: others
        .filter((other) => JSON.stringify(other) !== JSON.stringify(of))
        .map((other) => ({ id: JSON.stringify(other), text: nameOf(other), act: () => edit(withMask(newest.current, other, mask()), `Copy the mask of ${nameOf(of)}`) })),
      onPart: (part, name, value) => setting({ mask: of, part }, name, value),
      onPartRest: rest,
      onPartReset: (part, s) => {
        const now = mask().parts[part];
        if (now && masking.index === part) masking.replace({ ...now, [s.name]: s.default }, `Reset ${s.label}`);
      },
      onParts: (make, label) => edit(withMask(newest.current, of, { ...mask(), parts: make(mask().parts) }), label),
      onNewMatte: () => addMatte("subject"),
    };
  };
  const maskPanel = (of: Owner) => {
    const mask = maskOf(rig, of);
    return mask && <MaskPanel plate={plate} mask={mask} ofLight={of === "house" || "light" in of} parts={catalogue.parts} common={catalogue.part_common} brushGroup={catalogue.brush} masking={masking} actions={maskActions(of)} />;
  };

  const stageOf = (s: SettingInfo): Stage => (kind?.groups.find((g) => g.settings.includes(s))?.name ?? "source") as Stage;
  const addPoint = () => pointLists && placement && setPoints({ ...pointLists, placed: [...pointLists.placed, rounded(toPlate(placement, plate, { x: area.x / 2, y: area.y / 2 }))] }, "Add a point");
  const brushPanel = tool === "paint" && (
    <SettingGroup
      plate={plate}
      group={catalogue.brush}
      values={masking.brush}
      onChange={(name, value) => masking.setBrush({ ...masking.brush, [name]: value })}
      onRest={() => undefined}
      onReset={(s) => masking.setBrush({ ...masking.brush, [s.name]: s.default })}
    />
  );

  const duplicate = (id: string) => {
    const made = duplicateLight(newest.current, id);
    edit(made.rig, `Duplicate ${named(id)}`);
    setChosen({ light: made.id });
  };
  const copies = async (id: string, count: number) => {
    const { data, error } = await call("post", "/api/plates/{plate_id}/copies", { path: { plate_id: plate.id }, body: { rig: newest.current, light: id, count, offset: [0.06, 0] } });
    if (!data) {
      warn(said(error));
      return;
    }
    edit(data.rig, `${named(id)}: ${count === 1 ? "a copy" : `${count} copies`} with offset`);
    const last = data.ids.at(-1);
    if (last) setChosen({ light: last });
  };
  const leave = (id: string) => edit(withLight(newest.current, id, (l) => ({ ...l, group: "" })), `${named(id)}: on its own`);
  const remove = (id: string) => edit(withoutLight(newest.current, id), `Remove ${named(id)}`);
  const move = (id: string, to: number) => edit(moveLight(newest.current, id, to), `Move ${named(id)}`);
  const moveBy = (by: number) => {
    if (!light) return;
    const to = rig.lights.findIndex((l) => l.id === light.id) + by;
    if (to >= 0 && to < rig.lights.length) move(light.id, to);
  };

  const fit = () => setPlaced(null);
  const zoomBy = (factor: number) => placement && setPlaced(zoomed(placement, { x: pane.x / 2, y: pane.y / 2 }, factor));
  const full = () => placement && zoomBy(1 / ratio / placement.scale);
  const see = (position: [number, number]) => setPlaced(including(area, plate, angle, position));
  const compare = (next: Comparison | null) => {
    // The view is fitted anew where the room for each picture changes.
    if (next?.way !== comparison?.way) setPlaced(null);
    setComparison(next);
  };
  const select = (next: Selection) => {
    setChosen(next);
    setTool(null);
    setProposals(null);
    masking.select(null);
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
    { keys: "Ctrl Shift D", does: "Copy of the selected light with an offset, in one group", press: () => light && void copies(light.id, 1) },
    { keys: "Ctrl D", does: "Duplicate the selected light", press: () => light && duplicate(light.id) },
    { keys: "Alt ArrowLeft", does: "Move the selected light lower", press: () => moveBy(-1) },
    { keys: "Alt ArrowRight", does: "Move the selected light higher", press: () => moveBy(1) },
    { keys: "Delete", does: "Remove the selected light", press: () => light && remove(light.id) },
    { keys: "M", does: "Mask over the picture or not", press: () => masking.setView(masking.view === "over" ? "off" : "over") },
    { keys: "N", does: "Paint on the mask of the selected light, or stop", press: () => (masking.index === null ? masking.paint() : masking.select(null)) },
    { keys: "I", does: "Invert the mask", press: () => masking.owner && maskActions(masking.owner).onInvert() },
    { keys: "T", does: "Takes", press: () => setDialog("takes") },
    { keys: "R", does: "Rigs", press: () => setDialog("rigs") },
    { keys: "Ctrl E", does: "Export", press: () => setDialog("export") },
    { keys: "Escape", does: "Back from a comparison, a tool, a part of a mask, a stage shown large", press: () => (comparison ? compare(null) : proposals ? setProposals(null) : tool ? setTool(null) : masking.index !== null ? masking.select(null) : setLarge(null)) },
    { keys: "?", does: "What the keys do", press: () => setDialog("keys") },
  ];
  useKeys(keys, dialog === null && strip === null && bench.conflict === null);

  const covered = masking.mask?.start === "everything" ? "kept off" : "let in";
  const tinted = owner && maskView === "over" ? (matte ? "Tinted: the matte" : `Tinted: where the light is ${covered}`) : null;
  const flag = held === "before" ? "Before" : held === "without" ? `Without ${light?.name ?? "this light"}` : large && light ? `${light.name}: ${large}` : tinted;

  const clear = held === null && (tool === null || tool === "paint") && comparison === null;
  return (
    <ThingsContext.Provider value={things}>
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
        onTakes={() => setDialog("takes")}
        onRigs={() => setDialog("rigs")}
        onExport={() => setDialog("export")}
        onHelp={() => setDialog("keys")}
      />
      <Middle data-exact={!preview.busy && preview.picture?.exact ? "yes" : "no"} data-testid="picture">
        <PictureArea plate={plate} picture={preview.picture} other={comparison ? { picture: beside.picture, split: comparison.way === "split" ? split : null } : null} box={box} placement={placement} onArea={onArea} onPlacement={setPlaced}>
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
          {comparison?.way === "split" && <SplitLine at={split} onMove={setSplit} />}
          {comparison && <CompareBar comparison={comparison} takes={takes.takes} onChange={compare} />}
          {placement && clear && proposals && <FinderMarks plate={plate} area={area} placement={placement} proposals={proposals} onAccept={accept} />}
          {placement && clear && masking.part && masking.owner && (
            <MaskLayers
              plate={plate}
              area={area}
              placement={placement}
              masking={masking}
              brushGroup={catalogue.brush}
              onChange={(name, value) => masking.owner && masking.index !== null && setting({ mask: masking.owner, part: masking.index }, name, value)}
              onRest={rest}
            />
          )}
          {handles && placement && light?.on && kind && clear && !proposals && masking.part === null && (
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
                onChange={(stage, s, value) => shared(light.id, stage, s, value)}
                onRest={(label) => rest(`${light.name}: ${label}`)}
                onReset={(stage, s) => resetShared(light.id, stage, s)}
              >
                {pointLists && facts?.of_light?.points && <PointHandles plate={plate} placement={placement} points={facts.of_light.points} lists={pointLists} onChange={setPoints} />}
              </LightLayers>
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
              onIntensity: (id, value) => shared(id, "merge", intensity, value),
              onIntensityRest: () => rest("Intensity"),
              onDuplicate: duplicate,
              onCopies: (id, count) => void copies(id, count),
              onLeave: leave,
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
            onChange={(stage, name, value) => {
              const s = infoOf(light.id, stage, name);
              if (s) shared(light.id, stage, s, value);
            }}
            onRest={(label) => rest(`${light.name}: ${label}`)}
            onReset={(stage, s) => resetShared(light.id, stage, s)}
            onResetStage={(stage, group) => edit(group.settings.reduce((r, s) => withShared(r, light.id, stage, { [s.name]: s.default }, s.own), newest.current), `Reset ${group.label}`)}
            onLookAt={(value) => edit(withLight(rig, light.id, (l) => ({ ...l, look_at: value })), `${light.name}: looks at`)}
            onBringIntoView={see}
            facts={facts}
            onStrip={(stage, s) => setStrip({ stage, setting: s })}
            onMatch={(where) => (where === "spot" ? setTool("spot") : void match(origin))}
            points={{
              add: (s) => {
                const values = valuesAt(newest.current, { light: light.id, stage: stageOf(s) })[s.name];
                if (s.handle === "strokes") setTool(tool === "paint" ? null : "paint");
                else if (s.kind === "quads") edit(withValues(newest.current, { light: light.id, stage: stageOf(s) }, { [s.name]: [...(values as [number, number][][]), besideLast(values as [number, number][][], s.default as [number, number][][])] }), `${light.name}: one more`);
                else addPoint();
              },
              drop: (s) => {
                const values = valuesAt(newest.current, { light: light.id, stage: stageOf(s) })[s.name];
                edit(withValues(newest.current, { light: light.id, stage: stageOf(s) }, { [s.name]: (values as [number, number][][]).slice(0, -1) }), `${light.name}: one fewer`);
              },
              clear: (s) => (s.kind === "points" && pointLists ? setPoints({ ...pointLists, [s.name]: [] }, s.label) : edit(withValues(newest.current, { light: light.id, stage: stageOf(s) }, { [s.name]: [] }), `${light.name}: ${s.label}`)),
            }}
            brushPanel={brushPanel}
            onFind={positions.length > 0 || pointLists ? () => void find() : undefined}
            maskPanel={maskPanel({ light: light.id })}
            numbers={<Numbers facts={facts} rig={rig} />}
          />
        )}
        {matte && (
          <MatteColumn
            matte={matte}
            note="An area of this plate. Lights stand behind it or stay within it by a Matte part in their masks."
            onRename={(name) => edit(withMatte(newest.current, matte.id, (m) => ({ ...m, name })), `Rename ${matte.name}`)}
            onDone={() => select("plate")}
          >
            {maskPanel({ matte: matte.id })}
          </MatteColumn>
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
              <>
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
              <MatteList
                rig={rig}
                parts={catalogue.parts}
                onNew={addMatte}
                onSelect={(m) => {
                  setChosen({ matte: m.id });
                  masking.select(null);
                }}
                onRemove={removeMatte}
              />
              </>
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
            below={maskPanel("house")}
          />
        )}
      </Side>
      <ExportDialog plate={plate} rig={rig} formats={catalogue.formats} open={dialog === "export"} onClose={() => setDialog(null)} />
      <KeysDialog keys={keys} open={dialog === "keys"} onClose={() => setDialog(null)} />
      <TakesDialog
        takes={takes}
        rig={rig}
        open={dialog === "takes"}
        onClose={() => setDialog(null)}
        onBack={goBack}
        onCompare={(take) => {
          setDialog(null);
          compare({ left: String(take.id), right: "now", way: comparison?.way ?? "split" });
        }}
      />
      {dialog === "rigs" && <RigSheet plate={plate} rig={rig} onApply={(saved, lights) => void applySaved(saved, lights)} onClose={() => setDialog(null)} />}
      {dialog === "kinds" && <KindSheet plate={plate} rig={rig} onPick={add} onClose={() => setDialog(null)} />}
      {strip && light && kind && <StripDialog plate={plate} rig={rig} light={light} kind={kind} swept={strip} onPick={pickStrip} onClose={() => setStrip(null)} />}
      <ConflictDialog open={bench.conflict !== null} onTheirs={bench.takeTheirs} onMine={bench.keepMine} />
    </Frame>
    </ThingsContext.Provider>
  );
}
