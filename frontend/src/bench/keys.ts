import { useEffect } from "react";
import type { Bench } from "./store/bench";
import { HANDLES } from "./store/hand";
import { lightIdNow, ownerNow, partIndexNow } from "./store/selectors";
import { isTyped } from "./typed";
import { stages } from "./store/rig";
import { toDesk, toStage } from "./useKeptFocus";

/** What a key does. `release` ends what is held. */
export interface Key {
  keys: string;
  does: string;
  press: () => void;
  release?: () => void;
}

export interface KeyGroup {
  title: string;
  keys: Key[];
}

const FIRST_STAGE = 2; // its digit; 1 is one to one

/** The keys of the bench, by what one does. */
export function keysOf({
  keeping,
  viewing,
  lights,
  masking,
  frames,
  sketching,
  hold,
  open,
  compare,
  show,
  take,
  catalogue,
  store,
  now,
}: Bench): KeyGroup[] {
  const titles = catalogue.kinds[0]?.groups.map((group) => group.label) ?? [];
  const onLight = (act: (id: string) => void) => () => {
    const id = lightIdNow(now());
    if (id) act(id);
  };
  const leave = () => {
    const s = now();
    if (s.comparison) compare(null);
    else if (s.hand.tool.is !== "handles") take(HANDLES);
    else show(null);
  };
  const ofReels: Key[] = [
    { keys: "P", does: "Play or stop", press: frames.play },
    { keys: "Ctrl ArrowLeft", does: "One frame back", press: () => frames.step(-1) },
    { keys: "Ctrl ArrowRight", does: "One frame on", press: () => frames.step(1) },
    { keys: "Ctrl Home", does: "To where the reel begins", press: frames.begin },
    { keys: "Ctrl End", does: "To where the reel ends", press: frames.end },
    { keys: "Ctrl Alt ArrowLeft", does: "The reel begins at this frame", press: frames.beginHere },
    { keys: "Ctrl Alt ArrowRight", does: "The reel ends with this frame", press: frames.endHere },
    { keys: "Ctrl Alt ArrowUp", does: "A shot begins at this frame, or none does", press: frames.turnCut },
  ];
  const goTo: Key[] = [
    ...stages.map((stage, k) => ({
      keys: String(FIRST_STAGE + k),
      does: `The selected light's ${titles[k] ?? stage}`,
      press: onLight(() => toStage(stage)),
    })),
    { keys: "Y", does: "A light in the list of all", press: () => open("lights") },
    { keys: "0", does: "The desk; arrows move along it and inside a chip", press: toDesk },
    { keys: "Escape", does: "Leave a comparison, a tool, a mask part or an enlarged stage", press: leave },
  ];
  const ofLights: Key[] = [
    { keys: "A", does: "Add a light", press: () => open("kinds") },
    { keys: "L", does: "Show me where: paint where light should fall", press: sketching.begin },
    { keys: "O", does: "On or off", press: onLight(lights.turn) },
    { keys: "S", does: "Solo", press: onLight(lights.solo) },
    { keys: "Ctrl D", does: "Duplicate", press: onLight(lights.duplicate) },
    { keys: "Ctrl Shift D", does: "Copy with an offset, as a group", press: onLight((id) => lights.copies(id, 1)) },
    { keys: "Ctrl M", does: "Mirror to the other side, as a second one", press: onLight(lights.mirror) },
    { keys: "Alt ArrowLeft", does: "Move lower", press: onLight((id) => lights.moveBy(id, -1)) },
    { keys: "Alt ArrowRight", does: "Move higher", press: onLight((id) => lights.moveBy(id, 1)) },
    { keys: "Delete", does: "Remove", press: onLight(lights.remove) },
  ];
  const ofMasks: Key[] = [
    {
      keys: "N",
      does: "Paint on the selected light's mask, or stop",
      press: () => {
        const { tool } = now().hand;
        if (tool.is === "part" && tool.by === "brush" && partIndexNow(now()) !== null) masking.select(null);
        else masking.paint();
      },
    },
    { keys: "M", does: "Overlay on or off", press: () => masking.show(now().maskView === "over" ? "off" : "over") },
    {
      keys: "I",
      does: "Invert",
      press: () => {
        const owner = ownerNow(now());
        if (owner) masking.invert(owner);
      },
    },
  ];
  const looking: Key[] = [
    { keys: "B", does: "Hold: the picture as shot", press: () => hold("before"), release: () => hold(null) },
    { keys: "W", does: "Hold: without the selected light", press: () => hold("without"), release: () => hold(null) },
    { keys: "F", does: "Fit; again: with the margin in which sources live", press: viewing.fit },
    { keys: "1", does: "One to one, round the pointer or the selected light", press: viewing.full },
    { keys: "H", does: "Handles on or off", press: () => store.setState((s) => ({ handles: !s.handles })) },
    { keys: "K", does: "Clipping on or off", press: () => store.setState((s) => ({ clipping: !s.clipping })) },
  ];
  const ofWhole: Key[] = [
    { keys: "Ctrl Z", does: "Undo", press: () => (now().hand.tool.is === "sketch" ? sketching.back() : keeping.undo()) },
    { keys: "Ctrl Shift Z", does: "Redo", press: keeping.redo },
    { keys: "T", does: "Takes", press: () => open("takes") },
    { keys: "R", does: "Rigs", press: () => open("rigs") },
    { keys: "Ctrl E", does: "Export", press: () => open("export") },
    { keys: "?", does: "What the keys do", press: () => open("keys") },
  ];
  return [
    { title: "The whole", keys: ofWhole },
    { title: "Look", keys: looking },
    { title: "Go to", keys: goTo },
    { title: "Lights: the selected one", keys: ofLights },
    { title: "Its mask", keys: ofMasks },
    ...(now().plate.frames > 1 ? [{ title: "The reel", keys: ofReels }] : []),
  ];
}

function nameOf(event: KeyboardEvent): string {
  const key = event.key.length === 1 ? event.key.toUpperCase() : event.key;
  return [
    event.ctrlKey || event.metaKey ? "Ctrl" : "",
    event.altKey ? "Alt" : "",
    event.shiftKey && key.length > 1 ? "Shift" : event.shiftKey && (event.ctrlKey || event.metaKey) ? "Shift" : "",
    key,
  ]
    .filter(Boolean)
    .join(" ");
}

/** Whether a key belongs to what has the keyboard: text that is typed, an open list, a control with keys of its own. */
function isTaken(target: EventTarget | null, name: string): boolean {
  if (!(target instanceof Element)) return false;
  if (isTyped(target) || target.closest("[role=listbox], [role=menu], [role=dialog], [role=alertdialog]")) return true;
  return target.closest<HTMLElement>("[data-keys]")?.dataset.keys?.split(" ").includes(name) ?? false;
}

/** The bench's keys, anywhere but where text is typed or a dialog is open. They come before what a control that was used
 * last would make of them. */
export function useKeys(bench: Bench, groups: KeyGroup[]): void {
  useEffect(() => {
    const keys = groups.flatMap((group) => group.keys);
    const held = new Set<Key>();
    const down = (event: KeyboardEvent) => {
      const { dialog, strip, conflict } = bench.now();
      if (dialog !== null || strip !== null || conflict !== null) return;
      const name = nameOf(event);
      const key = keys.find((k) => k.keys === name);
      if (!key || isTaken(event.target, name)) return;
      event.preventDefault();
      event.stopPropagation();
      if (event.repeat && key.release) return;
      if (key.release) held.add(key);
      key.press();
    };
    const up = (event: KeyboardEvent) => {
      for (const key of held) {
        if (key.keys.endsWith(event.key.toUpperCase())) {
          held.delete(key);
          key.release?.();
        }
      }
    };
    const leave = () => {
      held.forEach((key) => key.release?.());
      held.clear();
    };
    window.addEventListener("keydown", down, { capture: true });
    window.addEventListener("keyup", up);
    window.addEventListener("blur", leave);
    return () => {
      window.removeEventListener("keydown", down, { capture: true });
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", leave);
    };
  }, [bench, groups]);
}
