import type { StoreApi } from "zustand";
import { api, said, type BenchState, type Conflict, type Rig } from "../../api/client";
import type { Board } from "../../ui/Notices";
import { settled, type State } from "./state";
import { unsavedOf, type Task } from "./unsaved";

const TRY_AGAIN = 1500; // ms
const LOOK_EVERY = 4000; // ms
const SLOW = 500; // ms after which a save that has no answer is kept by the browser
const AWAY = "the service does not answer. This browser keeps what you do, and tries again.";
const AWAY_UNKEPT = "the service does not answer. Leave this page open: it tries again, and this browser keeps nothing for later.";

/** What a window's own state is called when another window's is shown in its place. */
function takeName(now: Date): string {
  return `From this window, ${now.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", second: "2-digit" })}`;
}

/** Nothing, where a request got no answer, or one that was cut off. What else goes wrong is a fault of the page's own. */
function unreachable(error: unknown): null {
  if (error instanceof TypeError || error instanceof SyntaxError || error instanceof DOMException) return null;
  throw error;
}

export type Keeping = ReturnType<typeof makeKeeping>;

/** The keeping of a rig. Edits, undo and redo are kept one after another, in order; what is shown never waits for it. */
export function makeKeeping(store: StoreApi<State>, board: Board) {
  const { plate } = store.getState();
  const params = { path: { plate_id: plate.id } };
  const unsaved = unsavedOf(plate);
  let queue: Task[] = [];
  let working = false;
  let kept = false;
  // Counts what is shown, so that an answer is taken over only where nothing newer is there.
  let version = 0;

  const show = (rig: Rig, lead: string | null) => {
    version++;
    store.setState((s) => ({ rig, lead, selection: settled(s.selection, rig) }));
  };
  const adopt = ({ revision, undo, redo, plate: record }: BenchState) =>
    store.setState({ revision, undo: undo ?? null, redo: redo ?? null, plate: record });

  const ask = (task: Task) => {
    const base = store.getState().revision;
    if (task.do === "undo") return api.POST("/api/plates/{plate_id}/undo", { params, body: { base } });
    if (task.do === "redo") return api.POST("/api/plates/{plate_id}/redo", { params, body: { base } });
    return api.POST("/api/plates/{plate_id}/revisions", { params, body: { base, label: task.label, rig: task.rig, lead: task.lead } });
  };

  // A browser that keeps nothing, as in a private window, is no reason to stop.
  const keep = async () => {
    kept = true;
    await unsaved.keep({ base: store.getState().revision, tasks: queue }).catch(() => (kept = false));
  };
  const forget = () => {
    if (kept) void unsaved.forget();
    kept = false;
  };
  const again = async (why: string) => {
    await keep();
    store.setState({ save: { is: "waiting", why, kept } });
    await new Promise((resolve) => window.setTimeout(resolve, TRY_AGAIN));
  };

  /** Does the next task: why it was refused, null where it was done, undefined where it is to be tried again. */
  const attempt = async (next: Task): Promise<string | null | undefined> => {
    const seen = version;
    const slow = window.setTimeout(() => void keep(), SLOW);
    const answer = await ask(next).catch(unreachable);
    window.clearTimeout(slow);
    if (answer === null) {
      await keep();
      await again(kept ? AWAY : AWAY_UNKEPT);
      return undefined;
    }
    const { data, error, response } = answer;
    if (data) {
      queue.shift();
      adopt(data);
      // A step shows what it came to; a save shows what the group of a light became by it.
      const overtaken = version !== seen || queue.some((task) => task.do === "save");
      if (!overtaken && (next.do !== "save" || next.lead !== null)) show(data.rig, null);
      return null;
    }
    if (response.status === 409) {
      store.setState({ conflict: error as Conflict });
      return "this plate was changed in another window";
    }
    if (response.status >= 500) {
      // The disk may be full: the page keeps what was done until it is taken.
      await again(`${said(error)}. Until then this page keeps it.`);
      return undefined;
    }
    // What was refused is left out; what was asked for after it goes on.
    queue.shift();
    return said(error);
  };

  const flush = async () => {
    if (working) return;
    working = true;
    let refused: string | null = null;
    try {
      while (queue[0] && store.getState().conflict === null) {
        store.setState((s) => (s.save.is === "waiting" ? s : { save: { is: "saving" } }));
        const outcome = await attempt(queue[0]);
        if (outcome === undefined) continue;
        if (outcome !== null || queue.length === 0) refused = outcome;
      }
    } finally {
      working = false;
    }
    if (queue.length === 0) forget();
    store.setState({ save: refused === null ? { is: "saved" } : { is: "waiting", why: refused, kept: false } });
  };
  const step = (way: "undo" | "redo") => {
    const what = store.getState()[way];
    if (what) store.setState({ stepped: { text: `${way === "undo" ? "Undone" : "Redone"}: ${what}` } });
    enqueue({ do: way });
  };
  const enqueue = (task: Task) => {
    queue.push(task);
    void flush();
  };
  /** Takes what another window saved, where nothing of this one's own waits to be kept. */
  const catchUp = async () => {
    const clean = () => !working && queue.length === 0 && store.getState().conflict === null && !store.getState().hand.moving;
    const seen = version;
    if (!clean()) return;
    const answer = await api.GET("/api/plates/{plate_id}/bench", { params }).catch(unreachable);
    const present = answer?.data;
    if (!present || present.revision === store.getState().revision || version !== seen || !clean()) return;
    show(present.rig, null);
    adopt(present);
  };
  /** Takes up what a page before this one could not save. */
  const recover = async () => {
    const found = await unsaved.read().catch(() => undefined);
    const last = found?.tasks.findLast((task) => task.do === "save");
    const { revision, rig, undo, redo, plate: record } = store.getState();
    if (!found || version > 0) return;
    kept = true;
    const same = last !== undefined && JSON.stringify(last.rig) === JSON.stringify(rig);
    if (found.base !== revision && (same || !last)) {
      // It was saved after all, or nothing is lost: a way back that was not taken.
      forget();
      return;
    }
    if (last) show(last.rig, last.lead);
    if (found.base === revision) {
      queue = found.tasks;
      void flush();
    } else store.setState({ conflict: { error: "", problems: [], present: { plate: record, revision, rig, undo, redo } } });
  };
  const settle = (present: BenchState) => {
    store.setState({ conflict: null });
    adopt(present);
  };

  return {
    /** Shows a change at once; it is kept when `commit` follows. */
    change: show,
    /** Keeps a state as one undoable step. */
    commit: (rig: Rig, label: string, lead: string | null = null) => {
      show(rig, lead);
      enqueue({ do: "save", rig, label, lead });
    },
    /** Shows the same rig anew, when something that it names has come. */
    refresh: () => store.setState((s) => ({ rig: { ...s.rig } })),
    undo: () => step("undo"),
    redo: () => step("redo"),
    /** Shows what the other window saved; what this one had is kept as a take first. */
    takeTheirs: async () => {
      const { conflict, rig } = store.getState();
      if (!conflict) return;
      const { data, error } = await api.POST("/api/plates/{plate_id}/takes", { params, body: { name: takeName(new Date()), rig } });
      if (!data) {
        board.warn(said(error));
        return;
      }
      store.setState((s) => ({ takes: [...s.takes, data] }));
      board.say(`What this window had is the take "${data.name}".`);
      queue = [];
      forget();
      show(conflict.present.rig, null);
      settle(conflict.present);
      store.setState({ save: { is: "saved" } });
    },
    keepMine: () => {
      const { conflict, rig, lead } = store.getState();
      if (!conflict) return;
      settle(conflict.present);
      queue = [];
      enqueue({ do: "save", rig, label: "Kept from this window", lead });
    },
    recover,
    /** Follows what other windows save: as this one is looked at again, and every few seconds while another has the keys. */
    follow: () => {
      const look = () => void catchUp();
      const timer = window.setInterval(() => !document.hasFocus() && document.visibilityState === "visible" && look(), LOOK_EVERY);
      window.addEventListener("focus", look);
      return () => {
        window.clearInterval(timer);
        window.removeEventListener("focus", look);
      };
    },
    /** Asks before the page is left while something is not kept. */
    guard: () => {
      const warn = (event: BeforeUnloadEvent) => {
        if (store.getState().save.is !== "saved") event.preventDefault();
      };
      window.addEventListener("beforeunload", warn);
      return () => window.removeEventListener("beforeunload", warn);
    },
  };
}
