import type { StoreApi } from "zustand";
import { api, said, type BenchState, type Conflict, type Rig } from "../../api/client";
import { settled, type State } from "./state";

/** Something that is to be done with what is kept, in the order in which it was asked for. */
type Task = { do: "save"; rig: Rig; label: string; lead: string | null } | { do: "undo" } | { do: "redo" };

const TRY_AGAIN = 1500;
const AWAY = "the service does not answer; trying again";

/** Nothing, where a request got no answer, or one that was cut off. What else goes wrong is a fault of the page's own. */
function unreachable(error: unknown): null {
  if (error instanceof TypeError || error instanceof SyntaxError || error instanceof DOMException) return null;
  throw error;
}

export type Keeping = ReturnType<typeof makeKeeping>;

/** The keeping of a rig. Edits, undo and redo are kept one after another, in order; what is shown never waits for it. */
export function makeKeeping(store: StoreApi<State>) {
  const { plate } = store.getState();
  const params = { path: { plate_id: plate.id } };
  let queue: Task[] = [];
  let working = false;
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

  const again = (why: string) => {
    store.setState({ save: { is: "waiting", why } });
    return new Promise((resolve) => window.setTimeout(resolve, TRY_AGAIN));
  };

  /** Does the next task: why it was refused, null where it was done, undefined where it is to be tried again. */
  const attempt = async (next: Task): Promise<string | null | undefined> => {
    const seen = version;
    const answer = await ask(next).catch(unreachable);
    if (answer === null) {
      await again(AWAY);
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
    store.setState({ save: refused === null ? { is: "saved" } : { is: "waiting", why: refused } });
  };
  const enqueue = (task: Task) => {
    queue.push(task);
    void flush();
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
    undo: () => enqueue({ do: "undo" }),
    redo: () => enqueue({ do: "redo" }),
    takeTheirs: () => {
      const { conflict } = store.getState();
      if (!conflict) return;
      queue = [];
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
