import { useCallback, useEffect, useRef, useState } from "react";
import { api, said, type BenchState, type Conflict, type Rig } from "../api/client";

/** What can be said of the edits: all kept, being kept, or not kept and why. */
export type SaveState = { is: "saved" } | { is: "saving" } | { is: "waiting"; why: string };

/** Something that is to be done with what is kept, in the order in which it was asked for. */
type Task = { do: "save"; rig: Rig; label: string; lead: string | null } | { do: "undo" } | { do: "redo" };

export interface BenchModel {
  state: BenchState | null;
  failure: string | null;
  rig: Rig | null;
  save: SaveState;
  conflict: Conflict | null;
  /** A light whose group follows it until what is shown has been kept. */
  lead: string | null;
  /** Shows a change at once; it is kept when `commit` follows. */
  change: (rig: Rig, lead: string | null) => void;
  /** Keeps a state as one undoable step. */
  commit: (rig: Rig, label: string, lead?: string | null) => void;
  /** Shows the same rig anew, when something that it names has come. */
  refresh: () => void;
  undo: () => void;
  redo: () => void;
  takeTheirs: () => void;
  keepMine: () => void;
}

const TRY_AGAIN = 1500;
const AWAY = "the service does not answer; trying again";

/** The rig of a plate on the bench, and the keeping of it. Edits, undo and redo are kept one after another, in order. */
export function useBench(plateId: number): BenchModel {
  const [state, setState] = useState<BenchState | null>(null);
  const [failure, setFailure] = useState<string | null>(null);
  const [rig, setRig] = useState<Rig | null>(null);
  const [lead, setLead] = useState<string | null>(null);
  const [save, setSave] = useState<SaveState>({ is: "saved" });
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const queue = useRef<Task[]>([]);
  const working = useRef(false);
  const revision = useRef(0);
  // Counts what is shown, so that an answer is taken over only where nothing newer is there.
  const version = useRef(0);

  const show = useCallback((next: Rig, leading: string | null) => {
    version.current++;
    setRig(next);
    setLead(leading);
  }, []);

  const adopt = useCallback((next: BenchState) => {
    revision.current = next.revision;
    setState(next);
  }, []);

  useEffect(() => {
    api.GET("/api/plates/{plate_id}/bench", { params: { path: { plate_id: plateId } } }).then(
      ({ data, error }) => {
        if (!data) {
          setFailure(said(error));
          return;
        }
        adopt(data);
        show(data.rig, null);
      },
      () => setFailure("Aurelon's service does not answer; start it again and reload this page."),
    );
  }, [plateId, adopt, show]);

  useEffect(() => {
    if (save.is === "saved") return;
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, [save]);

  const ask = useCallback(
    (task: Task) => {
      const params = { path: { plate_id: plateId } };
      const base = revision.current;
      if (task.do === "undo") return api.POST("/api/plates/{plate_id}/undo", { params, body: { base } });
      if (task.do === "redo") return api.POST("/api/plates/{plate_id}/redo", { params, body: { base } });
      return api.POST("/api/plates/{plate_id}/revisions", { params, body: { base, label: task.label, rig: task.rig, lead: task.lead } });
    },
    [plateId],
  );

  const flush = useCallback(async () => {
    if (working.current) return;
    working.current = true;
    let refused: string | null = null;
    while (queue.current[0]) {
      const next = queue.current[0];
      const seen = version.current;
      setSave((now) => (now.is === "waiting" ? now : { is: "saving" }));
      try {
        const { data, error, response } = await ask(next);
        if (data) {
          queue.current.shift();
          adopt(data);
          // A step shows what it came to; a save shows what the group of a light became by it.
          const overtaken = version.current !== seen || queue.current.some((task) => task.do === "save");
          if (!overtaken && (next.do !== "save" || next.lead !== null)) show(data.rig, null);
          if (queue.current.length === 0) refused = null;
        } else if (response.status === 409) {
          setConflict(error as Conflict);
          refused = "this plate was changed in another window";
          break;
        } else if (response.status >= 500) {
          throw new Error(said(error));
        } else {
          // What was refused is left out; what was asked for after it goes on.
          queue.current.shift();
          refused = said(error);
        }
      } catch {
        setSave({ is: "waiting", why: AWAY });
        await new Promise((resolve) => window.setTimeout(resolve, TRY_AGAIN));
      }
    }
    working.current = false;
    setSave(refused === null ? { is: "saved" } : { is: "waiting", why: refused });
  }, [ask, adopt, show]);

  const enqueue = useCallback(
    (task: Task) => {
      queue.current.push(task);
      void flush();
    },
    [flush],
  );

  const commit = useCallback(
    (next: Rig, label: string, leading: string | null = null) => {
      show(next, leading);
      enqueue({ do: "save", rig: next, label, lead: leading });
    },
    [show, enqueue],
  );

  const refresh = useCallback(() => setRig((now) => now && { ...now }), []);

  const settle = (present: BenchState) => {
    setConflict(null);
    adopt(present);
  };

  return {
    state,
    failure,
    rig,
    save,
    conflict,
    lead,
    change: show,
    commit,
    refresh,
    undo: () => enqueue({ do: "undo" }),
    redo: () => enqueue({ do: "redo" }),
    takeTheirs: () => {
      if (!conflict) return;
      queue.current = [];
      show(conflict.present.rig, null);
      settle(conflict.present);
      setSave({ is: "saved" });
    },
    keepMine: () => {
      if (!conflict || !rig) return;
      settle(conflict.present);
      queue.current = [];
      enqueue({ do: "save", rig, label: "Kept from this window", lead });
    },
  };
}
