import type { StoreApi } from "zustand";
import {
  api,
  follow,
  said,
  whyOf,
  type Edit,
  type Mask,
  type MaskPart,
  type Matte,
  type Owner,
  type PartInfo,
  type SettingInfo,
  type Stroke,
} from "../../api/client";
import type { Board } from "../../ui/Notices";
import type { Editing } from "./editing";
import { handled, HANDLES, type PartTool } from "./hand";
import { toolsOf, valueIn, withValue } from "./partTools";
import { remember, remembered } from "./remembered";
import { HOUSE, lightOf, lightOwner, maskOf, matteOf, matteOwner, sameOwner, withMask, withMatte } from "./rig";
import { atFrame, maskNow, ownerNow, partIndexNow, partNow } from "./selectors";
import type { Brush, MaskView, State } from "./state";

const BRUSHES = "brushes";
const LIGHT = "light"; // what light is painted with has a brush of its own
const MATTE = "matte"; // and so has every part of a matte
const SKETCH = "sketch"; // and where light is asked for
const NO_BRUSH: Brush = { size: 0, hardness: 0, flow: 0, erase: false };

interface Kept {
  /** The plate that they were last used on. */
  plate: number;
  brushes: Record<string, Partial<Brush>>;
}

/** The brush of every purpose, as it was left: of every part that strokes are drawn for, on a light or the house light and on a
 * matte, of painted light and of sketches. A size fits one plate and is not carried to another. */
export function rememberedBrushes(parts: PartInfo[], sketch: Partial<Brush>, plate: number): Record<string, Brush> {
  const kept = (remembered(BRUSHES) ?? {}) as Partial<Kept>;
  const own = (purpose: string, first: Partial<Brush> | null | undefined): [string, Brush] => {
    const { size, ...rest } = kept.brushes?.[purpose] ?? {};
    const sized = size !== undefined && kept.plate === plate ? { size } : {};
    return [purpose, { ...NO_BRUSH, ...first, ...rest, ...sized, erase: false }];
  };
  const drawn = parts.filter((p) => p.brush);
  return Object.fromEntries([
    own(LIGHT, drawn[0]?.brush),
    own(SKETCH, sketch),
    ...drawn.flatMap((p) => [own(p.name, p.brush), own(`${MATTE}.${p.name}`, p.brush)]),
  ]);
}

/** What the brush that is up is for. */
function purposeNow(s: State): string {
  if (s.hand.tool.is === "sketch") return SKETCH;
  const part = partNow(s)?.part;
  return part === undefined ? LIGHT : ownerNow(s)?.of === "matte" ? `${MATTE}.${part}` : part;
}

/** The brush that is up. */
export function brushNow(s: State): Brush {
  return s.brushes[purposeNow(s)] ?? NO_BRUSH;
}

export type Masking = ReturnType<typeof makeMasking>;

/** What can be done with masks and mattes: taking up a part, painting, cutting a subject out. */
export function makeMasking(store: StoreApi<State>, parts: PartInfo[], editing: Editing, { warn }: Board) {
  const { now, edit, ask, rest, setting } = editing;
  const info = (part: MaskPart | null | undefined) => parts.find((p) => p.name === part?.part);
  let stop: AbortController | null = null;

  const usual = (part: MaskPart, fresh: boolean): PartTool => {
    const kind = info(part);
    const { box, strokes } = toolsOf(kind);
    if (box) return valueIn(part, box) ? "hints" : "box";
    if (strokes) return "brush";
    return kind?.picked && fresh ? "click" : "handles";
  };
  /** Takes up a part of anybody's mask, or puts it down. */
  const open = (owner: Owner, index: number | null, fresh = false) => {
    const part = index === null ? undefined : maskOf(now(), owner)?.parts[index];
    store.setState((s) => ({
      hand: handled(s.hand, {
        do: "take up",
        tool: index === null || !part ? HANDLES : { is: "part", owner, index, by: usual(part, fresh), drawn: null, fresh },
      }),
      brushes: Object.fromEntries(Object.entries(s.brushes).map(([name, one]) => [name, { ...one, erase: false }])),
      maskView: fresh && s.maskView === "off" && (owner.of === "matte" || info(part)?.shown_at_once) ? "over" : s.maskView,
    }));
  };
  const select = (index: number | null) => {
    const owner = ownerNow(store.getState());
    if (owner) open(owner, index);
    else store.setState((s) => ({ hand: handled(s.hand, { do: "put down" }) }));
  };
  const by = (how: PartTool) =>
    store.setState((s) => (s.hand.tool.is === "part" ? { hand: { ...s.hand, tool: { ...s.hand.tool, by: how } } } : s));
  const used = () =>
    store.setState((s) =>
      s.hand.tool.is === "part" && s.hand.tool.fresh ? { hand: { ...s.hand, tool: { ...s.hand.tool, fresh: false } } } : s,
    );
  const setBrush = (next: Partial<Brush>) => {
    const s = store.getState();
    const brushes = { ...s.brushes, [purposeNow(s)]: { ...brushNow(s), ...next } };
    store.setState({ brushes });
    remember(BRUSHES, { plate: s.plate.id, brushes } satisfies Kept);
  };
  const add = (name: string) => {
    const owner = ownerNow(store.getState());
    if (owner) ask({ do: "add-part", owner, part: name });
  };

  const prepare = async (part: MaskPart, signal: AbortSignal) => {
    const params = atFrame(store.getState());
    const { data, error } = await api.POST("/api/plates/{plate_id}/parts/prepare", { params, body: { part } });
    if (!data) throw new Error(said(error));
    await follow(data, ({ job }) => store.setState((s) => ({ cutting: s.cutting && { ...s.cutting, share: job.share } })), signal);
  };

  /** Replaces the part that is worked on; what takes a while is prepared first, with progress. */
  const replace = (next: MaskPart, label: string) => {
    const s = store.getState();
    const owner = ownerNow(s);
    const index = partIndexNow(s);
    if (!owner || index === null) return;
    used();
    const keep = () => {
      const mask = maskOf(now(), owner);
      if (mask) edit(withMask(now(), owner, { ...mask, parts: mask.parts.map((p, k) => (k === index ? next : p)) }), label);
    };
    if (!info(next)?.takes_a_while) {
      keep();
      return;
    }
    stop?.abort();
    const mine = new AbortController();
    stop = mine;
    store.setState({ awaited: { owner, index, part: next }, cutting: { share: 0, stop: () => mine.abort() } });
    prepare(next, mine.signal)
      .then(keep, (error: unknown) => {
        if (!mine.signal.aborted) warn(whyOf(error));
      })
      .finally(() => {
        if (stop === mine) store.setState({ cutting: null, awaited: null });
      });
  };

  /** The stroke that was on its way has ended. */
  const dropped = () => store.setState((s) => ({ hand: handled(s.hand, { do: "draw", stroke: null }) }));
  /** A stroke that has ended: kept with those before it. */
  const drop = (stroke: Stroke) => {
    dropped();
    const part = partNow(store.getState());
    const { strokes, box } = toolsOf(info(part));
    if (!part || !strokes) return;
    const label = box ? (stroke.erase ? "Mark as out" : "Mark as in") : stroke.erase ? "Erase" : "Paint";
    replace(withValue(part, strokes, [...(valueIn(part, strokes) as Stroke[]), stroke]), label);
  };

  /** Takes up what a matte was last drawn with, so that a stroke corrects it; a new brush where it has none and one is `wanted`. */
  const correct = (matte: string, wanted: boolean) => {
    const owner = matteOwner(matte);
    const last = maskOf(now(), owner)?.parts.findLastIndex((p) => toolsOf(info(p)).strokes) ?? -1;
    store.setState((s) => ({ selection: owner, maskView: s.maskView === "off" ? "over" : s.maskView }));
    open(owner, last < 0 ? null : last);
    if (last < 0 && wanted) paint();
  };

  /** Takes up the last brush of the mask, or a new one. */
  const paint = () => {
    const painted = parts.filter((p) => p.brush && !toolsOf(p).box).map((p) => p.name);
    const last = maskNow(store.getState())?.parts.findLastIndex((p) => painted.includes(p.part)) ?? -1;
    if (last >= 0) select(last);
    else if (painted[0]) add(painted[0]);
  };

  const nameOf = (of: Owner): string => {
    if (of.of === "house") return "the house light";
    return (of.of === "light" ? lightOf(now(), of.id) : matteOf(now(), of.id))?.name || of.id;
  };
  const changeMask = (of: Owner, make: (mask: Mask) => Mask, label: string) => {
    const mask = maskOf(now(), of);
    if (mask) edit(withMask(now(), of, make(mask)), label);
  };
  const newMatte = (part: string) => ask({ do: "new-matte", part } satisfies Edit);

  return {
    info,
    open,
    select,
    by,
    correct,
    setBrush,
    add,
    paint,
    drop,
    dropped,
    replace,
    draw: (stroke: Stroke) => store.setState((s) => ({ hand: handled(s.hand, { do: "draw", stroke }) })),
    show: (maskView: MaskView) => store.setState({ maskView }),
    start: (of: Owner, start: Mask["start"]) => changeMask(of, (mask) => ({ ...mask, start }), "Mask begins with"),
    invert: (of: Owner) => ask({ do: "invert-mask", owner: of }),
    parts: (of: Owner, make: (parts: MaskPart[]) => MaskPart[], label: string) =>
      changeMask(of, (mask) => ({ ...mask, parts: make(mask.parts) }), label),
    part: (of: Owner, part: number, name: string, value: unknown) => setting({ mask: of, part }, name, value),
    partRest: (label: string) => {
      used();
      rest(label);
    },
    partReset: (of: Owner, part: number, s: SettingInfo) => {
      const there = maskOf(now(), of)?.parts[part];
      if (there && partIndexNow(store.getState()) === part) replace(withValue(there, s, s.default), `Reset ${s.label}`);
    },
    /** Others that a mask can be given to. */
    copies: (of: Owner) =>
      [HOUSE, ...now().lights.map((l) => lightOwner(l.id)), ...now().mattes.map((m) => matteOwner(m.id))]
        .filter((other) => !sameOwner(other, of))
        .map((other) => ({
          id: JSON.stringify(other),
          text: nameOf(other),
          act: () => {
            const mask = maskOf(now(), of);
            if (mask) edit(withMask(now(), other, mask), `Copy the mask of ${nameOf(of)}`);
          },
        })),
    newMatte,
    /** A new matte of a subject, or of whatever part there is. */
    newSubject: () => {
      const cutOut = parts.find((p) => toolsOf(p).box) ?? parts[0];
      if (cutOut) newMatte(cutOut.name);
    },
    removeMatte: (gone: Matte) => ask({ do: "remove-matte", matte: gone.id }),
    renameMatte: (matte: Matte, name: string) =>
      edit(
        withMatte(now(), matte.id, (m) => ({ ...m, name })),
        `Rename ${matte.name}`,
      ),
  };
}
