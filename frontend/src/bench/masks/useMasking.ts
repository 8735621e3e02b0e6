import { useRef, useState } from "react";
import { cutOut, type MaskPart, type Painting, type PartInfo, type Plate, type Rig, type Stroke } from "../../api/client";
import { useNotices } from "../../ui/Notices";
import { maskOf, newPart, withMask, type Owner, type Selection } from "../rig";

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
  newest: { readonly current: Rig };
  parts: PartInfo[];
  edit: (rig: Rig, label: string) => void;
}

export type Masking = ReturnType<typeof useMasking>;

/** Whose mask and which of its parts is worked on, with what brush, and what can be done with them. */
export function useMasking(selection: Selection, { plate, rig, newest, parts, edit }: Bench) {
  const { warn } = useNotices();
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
  const same = chosen !== null && JSON.stringify(chosen.owner) === JSON.stringify(owner);
  const mask = owner ? maskOf(rig, owner) : undefined;
  const index = same && chosen.part < (mask?.parts.length ?? 0) ? chosen.part : null;
  const kept = index === null ? null : (mask?.parts[index] ?? null);
  const here = JSON.stringify([owner, index]);
  const part = awaited?.at === here ? awaited.part : kept;

  // Light is painted with a brush of its own.
  const brush = brushes[part?.part ?? LIGHT] ?? brushes.strokes ?? NO_BRUSH;
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
  const open = (of: Owner, next: number, box: boolean) => {
    setChosen({ owner: of, part: next });
    setBoxing(box);
  };
  const change = (make: (parts: MaskPart[]) => MaskPart[], label: string) => {
    if (!owner) return;
    const now = maskOf(newest.current, owner);
    if (now) edit(withMask(newest.current, owner, { ...now, parts: make(now.parts) }), label);
  };
  const add = (kind: string) => {
    const info = parts.find((p) => p.name === kind);
    if (!info || !mask) return;
    // A part that refers to a matte takes the newest; in a matte itself that could go round in a circle.
    const asks = info.group.settings.find((s) => s.kind === "matte");
    const last = owner !== null && typeof owner === "object" && "matte" in owner ? undefined : newest.current.mattes.at(-1);
    change((all) => [...all, { ...newPart(info, mask), ...(asks && last ? { [asks.name]: last.id } : {}) }], `Add ${info.title.toLowerCase()}`);
    select(mask.parts.length);
    setBoxing(kind === "subject");
  };

  /** Takes up the last brush of the mask, or a new one. */
  const paint = () => {
    const last = mask?.parts.findLastIndex((p) => p.part === "strokes") ?? -1;
    if (last >= 0) select(last);
    else add("strokes");
  };

  /** Replaces the part that is worked on; a subject is cut out again first, with progress. */
  const replace = (next: MaskPart, label: string) => {
    if (index === null) return;
    const at = index;
    const keep = () => change((all) => all.map((p, k) => (k === at ? next : p)), label);
    if (next.part !== "subject") {
      keep();
      return;
    }
    stop.current?.abort();
    const mine = new AbortController();
    stop.current = mine;
    awaitPart({ part: next, at: here });
    setCutting({ share: 0, stop: () => mine.abort() });
    cutOut(plate.id, next, (share) => setCutting((now) => now && { ...now, share }), mine.signal)
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
    if (part?.part === "strokes") replace({ ...part, strokes: [...part.strokes, stroke] }, stroke.erase ? "Erase" : "Paint");
    if (now?.part === "subject") replace({ ...now, hints: [...now.hints, stroke] }, stroke.erase ? "Mark as out" : "Mark as in");
  };

  const painting: Painting | null =
    drawn && owner && index !== null && part?.part === "strokes"
      ? { owner: owner === "house" ? "house" : "light" in owner ? "light" : "matte", id: owner === "house" ? "" : "light" in owner ? owner.light : owner.matte, part: index, stroke: drawn }
      : null;

  return {
    owner, mask, index, part, brush, view, drawn, painting, boxing, cutting,
    info: parts.find((p) => p.name === part?.part),
    paints: !boxing && (part?.part === "strokes" || part?.part === "subject"),
    setBrush, setView, setBoxing, select, open, change, add, paint, replace, draw, drop,
  };
}
