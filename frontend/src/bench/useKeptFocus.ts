import { useEffect } from "react";
import type { Bench } from "./store/bench";

const CHIP = '[role="toolbar"][aria-label="Desk"] [aria-pressed="true"]';
const POSITION = '[role="slider"][aria-label="Position"]';

/** Gives the keyboard a place where what had it is gone: the place of a new light, else the chip of what is selected. */
export function useKeptFocus({ store }: Bench): void {
  useEffect(() => {
    let had: Element | null = null;
    let planned = 0;
    let added = false;
    const note = (event: FocusEvent) => {
      had = event.target instanceof Element ? event.target : null;
    };
    const look = () => {
      planned = 0;
      const lost = document.activeElement === document.body && (added || (had !== null && !had.isConnected));
      if (!lost || document.querySelector('[role="dialog"], [role="alertdialog"]')) return;
      const next = (added ? document.querySelector<HTMLElement>(POSITION) : null) ?? document.querySelector<HTMLElement>(CHIP);
      added = false;
      had = null;
      next?.focus({ preventScroll: true });
    };
    const stop = store.subscribe((now, before) => {
      if (now.rig.lights.length > before.rig.lights.length) added = true;
      else if (now.rig === before.rig && now.selection === before.selection) return;
      // After the page has been drawn with it.
      if (!planned) planned = window.setTimeout(look, 50);
    });
    document.addEventListener("focusin", note);
    return () => {
      stop();
      window.clearTimeout(planned);
      document.removeEventListener("focusin", note);
    };
  }, [store]);
}
