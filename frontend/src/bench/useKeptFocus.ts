import { useEffect } from "react";
import { partCountNow } from "./store/selectors";
import type { Bench } from "./store/bench";

const CHIP = '[role="toolbar"][aria-label="Desk"] [data-stop][aria-pressed="true"]';
const POSITION = '[role="slider"][aria-label="Position"]';
const PART = "[data-part] [role=slider], [data-part] input, [data-part] button";
const SOON = 150; // ms
const DIALOG = '[role="dialog"], [role="alertdialog"]';

/** The first control of a stage of the selected light: its slider, or what else it is set by. */
export function toStage(stage: string, again = true): void {
  const step = document.querySelector(`[data-stage="${stage}"]`);
  // The column of a light that was chosen just now is still to be drawn.
  if (!step && again) window.setTimeout(() => toStage(stage, false), SOON);
  const row = step?.querySelector("[data-setting]");
  const control =
    row?.querySelector<HTMLElement>("[role=slider]") ??
    // Behind the button that is the setting's name.
    [...(row?.querySelectorAll<HTMLElement>("input, button") ?? [])].slice(1).find((one) => !one.matches(".strip")) ??
    step?.querySelector<HTMLElement>("[aria-expanded]");
  control?.focus();
}

/** The chip of what is selected. */
export function toDesk(): void {
  document.querySelector<HTMLElement>(CHIP)?.focus();
}

/** The control beside one that gave the keyboard up: the slider of its setting, or the first of its group. */
function besides(had: Element): HTMLElement | null {
  const slider = had.closest("[data-setting]")?.querySelector<HTMLElement>("[role=slider]");
  const first = had.closest('[role="group"]:has([data-stop])')?.querySelector<HTMLElement>("[data-stop]");
  return slider ?? first ?? null;
}

/** Gives the keyboard a place where what had it is gone or gave it up: the control beside it, the place of a new light,
 * a new part of a mask, the setting whose test strip was left, else the chip of what is selected. */
export function useKeptFocus({ store }: Bench): void {
  useEffect(() => {
    let had: Element | null = null;
    let byKeys = false;
    let planned = 0;
    let wanted: string | null = null;
    const note = (event: FocusEvent) => {
      had = event.target instanceof Element ? event.target : null;
    };
    const look = () => {
      planned = 0;
      const next = wanted ? document.querySelector<HTMLElement>(wanted) : null;
      wanted = null;
      const lost = document.activeElement === document.body;
      if ((!lost && !(next && byKeys)) || document.querySelector(DIALOG)) return;
      const beside = had?.isConnected ? besides(had) : null;
      const place = next ?? beside ?? document.querySelector<HTMLElement>(CHIP);
      place?.focus({ preventScroll: next === null });
    };
    const plan = () => {
      // After the page has been drawn with what is new.
      if (!planned) planned = window.setTimeout(look, 50);
    };
    const left = (event: FocusEvent) => {
      // A press on the picture takes the keyboard from a control by choice.
      if (event.relatedTarget === null && byKeys && document.hasFocus()) plan();
    };
    const stop = store.subscribe((now, before) => {
      // Most of what changes is the view, sixty times a second.
      if (now.rig === before.rig && now.selection === before.selection && now.strip === before.strip) return;
      const strip = before.strip && !now.strip ? before.strip : null;
      if (now.rig.lights.length > before.rig.lights.length) wanted = POSITION;
      else if (partCountNow(now) > partCountNow(before)) wanted = PART;
      else if (strip) wanted = `[data-stage="${strip.stage}"] [data-setting="${strip.setting.name}"] .strip`;
      plan();
    });
    const key = (event: KeyboardEvent) => {
      // Tab leaves the page where it ends.
      byKeys = event.key !== "Tab";
    };
    const pointer = () => {
      byKeys = false;
    };
    document.addEventListener("focusin", note);
    document.addEventListener("focusout", left);
    window.addEventListener("keydown", key, true);
    window.addEventListener("pointerdown", pointer, true);
    return () => {
      stop();
      window.clearTimeout(planned);
      document.removeEventListener("focusin", note);
      document.removeEventListener("focusout", left);
      window.removeEventListener("keydown", key, true);
      window.removeEventListener("pointerdown", pointer, true);
    };
  }, [store]);
}
