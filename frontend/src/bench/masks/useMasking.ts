import { useRef, useState } from "react";
import {
  api,
  follow,
  said,
  type MaskPart,
  type Owner,
  type Painting,
  type PartInfo,
  type Plate,
  type Rig,
  type Stroke,
} from "../../api/client";
import { useNotices } from "../../ui/Notices";
import { maskOf, sameOwner, withMask, type Selection } from "../rig";
import type { Editing } from "../useEditing";
import { toolsOf, valueIn, withValue } from "./partTools";

/** The brush: its settings are the stroke's own; `erase` is what it does without the modifier. */
export type Brush = Pick<Stroke, "size" | "hardness" | "flow"> & { erase: boolean };

const REMEMBERED = "aurelon.brush";

/** The brush of every part that strokes are drawn for, as it was left. */
function remembered(parts: PartInfo[]): Record<string, Brush> {
  let kept: Record<string, Partial<Brush>> = {};
  try {
    kept = JSON.parse(window.localStorage.getItem(REMEMBERED) ?? "{}") as Record<string, Partial<Brush>>;
  } catch {
    // What cannot be read is as if nothing had been kept.
  }
  return Object.fromEntries(parts.filter((p) => p.brush).map((p) => [p.name, { ...p.brush, ...kept[p.name], erase: false } as Brush]));
}

const LIGHT = "light";
const NO_BRUSH: Brush = { size: 0, hardness: 0, flow: 0, erase: false };

/** How a mask is shown on the picture: not at all, over it, by itself in grey, or as the light that it lets through. */
export type MaskView = "off" | "over" | "alone" | "light";

export interface Cutting {
  share: number;
  stop: () => void;
}

interface Bench {
  plate: Plate;
  rig: Rig;
  parts: PartInfo[];
  editing: Editing;
}

export type Masking = ReturnType<typeof useMasking>;

/** Whose mask and which of its parts is worked on, with what brush, and what can be done with them. */
export function useMasking(selection: Selection, { plate, rig, parts, editing }: Bench) {
  const { warn } = useNotices();
  const { newest, edit, ask } = editing;
  const [chosen, setChosen] = useState<{ owner: Owner; part: number } | null>(null);
  const [brushes, setBrushes] = useState(() => remembered(parts));
  const [view, setView] = useState<MaskView>("off");
  const [drawn, setDrawn] = useState<Stroke | null>(null);
  const [boxing, setBoxing] = useState(false);
  const [cutting, setCutting] = useState<Cutting | null>(null);
  const stop = useRef<AbortController | null>(null);
  // A part whose cut is still on its way; what is drawn meanwhile is drawn on this one.
  const [awaited, setAwaited] = useState<{ part: MaskPart; at: string } | null>(null);
  const newestAwaited = useRef(awaited);
  const awaitPart = (next: typeof awaited) => {
    newestAwaited.current = next;
    setAwaited(next);
  };

  const owner: Owner | null = selection === "plate" ? null : selection;
  const same = chosen !== null && sameOwner(chosen.owner, owner);
  const mask = owner ? maskOf(rig, owner) : undefined;
  const index = same && chosen.part < (mask?.parts.length ?? 0) ? chosen.part : null;
  const kept = index === null ? null : (mask?.parts[index] ?? null);
  const here = JSON.stringify([owner, index]);
  const part = awaited?.at === here ? awaited.part : kept;

  const info = parts.find((p) => p.name === part?.part);
  const tools = toolsOf(info);
  // Light is painted with a brush of its own.
  const first = parts.find((p) => p.brush)?.name ?? LIGHT;
  const brush = brushes[part?.part ?? LIGHT] ?? brushes[first] ?? NO_BRUSH;
  const setBrush = (next: Brush) => {
    const all = { ...brushes, [part?.part ?? LIGHT]: next };
    setBrushes(all);
    window.localStorage.setItem(REMEMBERED, JSON.stringify(all));
  };
  const select = (next: number | null) => {
    setChosen(owner && next !== null ? { owner, part: next } : null);
    setBoxing(false);
    setDrawn(null);
    setBrushes((all) => Object.fromEntries(Object.entries(all).map(([name, one]) => [name, { ...one, erase: false }])));
  };
  /** Takes up a part, or none, once it is there; one that is cut out asks for its box where it has none. */
  const open = (of: Owner, next: number | null) => {
    const opened = next === null ? undefined : maskOf(newest.current, of)?.parts[next];
    const box = toolsOf(parts.find((p) => p.name === opened?.part)).box;
    setChosen(next === null ? null : { owner: of, part: next });
    setBoxing(box !== undefined && opened !== undefined && !valueIn(opened, box));
  };
  const add = (name: string) => owner && ask({ do: "add-part", owner, part: name });

  /** Takes up the last brush of the mask, or a new one. */
  const paint = () => {
    const painted = parts.filter((p) => p.brush && !toolsOf(p).box).map((p) => p.name);
    const last = mask?.parts.findLastIndex((p) => painted.includes(p.part)) ?? -1;
    if (last >= 0) select(last);
    else if (painted[0]) add(painted[0]);
  };

  const cut = async (subject: MaskPart, signal: AbortSignal) => {
    if (subject.part !== "subject") return;
    const { data, error } = await api.POST("/api/plates/{plate_id}/cut", { params: { path: { plate_id: plate.id } }, body: { subject } });
    if (!data) throw new Error(said(error));
    await follow(data, ({ job }) => setCutting((now) => now && { ...now, share: job.share }), signal);
  };

  /** Replaces the part that is worked on; a subject is cut out again first, with progress. */
  const replace = (next: MaskPart, label: string) => {
    if (index === null) return;
    const at = index;
    const keep = () => {
      const now = owner && maskOf(newest.current, owner);
      if (now) edit(withMask(newest.current, owner, { ...now, parts: now.parts.map((p, k) => (k === at ? next : p)) }), label);
    };
    if (next.part !== "subject") {
      keep();
      return;
    }
    stop.current?.abort();
    const mine = new AbortController();
    stop.current = mine;
    awaitPart({ part: next, at: here });
    setCutting({ share: 0, stop: () => mine.abort() });
    cut(next, mine.signal)
      .then(keep, (error: unknown) => {
        if (!mine.signal.aborted) warn(error instanceof Error ? error.message : String(error));
      })
      .finally(() => {
        if (stop.current !== mine) return;
        setCutting(null);
        awaitPart(null);
      });
  };

  /** A stroke is on its way: shown as it grows, kept when it ends. */
  const draw = (stroke: Stroke) => setDrawn(stroke);
  const drop = (stroke: Stroke) => {
    setDrawn(null);
    const waiting = newestAwaited.current;
    const now = waiting?.at === here ? waiting.part : part;
    if (!now || !tools.strokes) return;
    const drawnBefore = valueIn(now, tools.strokes) as Stroke[];
    const label = tools.box ? (stroke.erase ? "Mark as out" : "Mark as in") : stroke.erase ? "Erase" : "Paint";
    replace(withValue(now, tools.strokes, [...drawnBefore, stroke]), label);
  };

  const painting: Painting | null =
    drawn && owner && index !== null && tools.strokes && !tools.box ? { owner, part: index, stroke: drawn } : null;

  return {
    owner,
    mask,
    index,
    part,
    info,
    tools,
    brush,
    view,
    painting,
    boxing,
    cutting,
    paints: !boxing && tools.strokes !== undefined,
    setBrush,
    setView,
    setBoxing,
    select,
    open,
    add,
    paint,
    replace,
    draw,
    drop,
  };
}
