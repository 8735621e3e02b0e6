import { useCallback, useEffect, useRef, useState } from "react";
import { call, said, type BenchState, type Conflict, type Rig } from "../api/client";

/** What can be said of the edits: all kept, being kept, or not kept and why. */
export type SaveState = { is: "saved" } | { is: "saving" } | { is: "waiting"; why: string };

interface Pending {
  rig: Rig;
  label: string;
}

export interface BenchModel {
  state: BenchState | null;
  failure: string | null;
  rig: Rig | null;
  save: SaveState;
  conflict: Conflict | null;
  /** Shows a change at once; it is kept when `commit` follows. */
  change: (rig: Rig) => void;
  /** Keeps a state as one undoable step. */
  commit: (rig: Rig, label: string) => void;
  /** Shows the same rig anew, when something that it names has come. */
  refresh: () => void;
  undo: () => void;
  redo: () => void;
  takeTheirs: () => void;
  keepMine: () => void;
}

const TRY_AGAIN = 1500;

/** The rig of a plate on the bench, and the keeping of it. Edits are kept one after another, in order. */
export function useBench(plateId: number): BenchModel {
  const [state, setState] = useState<BenchState | null>(null);
  const [failure, setFailure] = useState<string | null>(null);
  const [rig, setRig] = useState<Rig | null>(null);
  const [save, setSave] = useState<SaveState>({ is: "saved" });
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const queue = useRef<Pending[]>([]);
  const working = useRef(false);
  const revision = useRef(0);
  const path = { plate_id: plateId };

  const adopt = useCallback((next: BenchState) => {
    revision.current = next.revision;
    setState(next);
  }, []);

  useEffect(() => {
    call("get", "/api/plates/{plate_id}/bench", { path: { plate_id: plateId } }).then(
      ({ data, error }) => {
        if (!data) {
          setFailure(said(error));
          return;
        }
        adopt(data);
        setRig(data.rig);
      },
      () => setFailure("Aurelon's service does not answer; start it again and reload this page."),
    );
  }, [plateId, adopt]);

  useEffect(() => {
    if (save.is === "saved") return;
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, [save]);

  const flush = useCallback(async () => {
    if (working.current) return;
    working.current = true;
    while (queue.current[0]) {
      const next = queue.current[0];
      setSave((now) => (now.is === "waiting" ? now : { is: "saving" }));
      try {
        const { data, error, status } = await call("post", "/api/plates/{plate_id}/revisions", {
          path: { plate_id: plateId },
          body: { base: revision.current, label: next.label, rig: next.rig },
        });
        if (data) {
          queue.current.shift();
          adopt(data);
        } else if (status === 409) {
          setConflict(error as Conflict);
          setSave({ is: "waiting", why: "this plate was changed in another window" });
          break;
        } else if (status >= 500) {
          throw new Error(said(error));
        } else {
          queue.current = [];
          setSave({ is: "waiting", why: said(error) });
          break;
        }
      } catch {
        setSave({ is: "waiting", why: "the service does not answer; trying again" });
        await new Promise((resolve) => window.setTimeout(resolve, TRY_AGAIN));
      }
    }
    working.current = false;
    if (queue.current.length === 0) setSave((now) => (now.is === "waiting" && !now.why.includes("trying") ? now : { is: "saved" }));
  }, [plateId, adopt]);

  const commit = useCallback(
    (next: Rig, label: string) => {
      setRig(next);
      queue.current.push({ rig: next, label });
      void flush();
    },
    [flush],
  );

  const step = async (which: "undo" | "redo") => {
    if (queue.current.length > 0 || working.current) return;
    working.current = true;
    try {
      const { data, error, status } = await call("post", `/api/plates/{plate_id}/${which}`, {
        path,
        body: { base: revision.current },
      });
      if (data) {
        adopt(data);
        setRig(data.rig);
      } else if (status === 409) {
        setConflict(error as Conflict);
      }
    } catch {
      setSave({ is: "waiting", why: "the service does not answer; trying again" });
    } finally {
      working.current = false;
      void flush();
    }
  };

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
    change: setRig,
    commit,
    refresh,
    undo: () => void step("undo"),
    redo: () => void step("redo"),
    takeTheirs: () => {
      if (!conflict) return;
      queue.current = [];
      setRig(conflict.present.rig);
      settle(conflict.present);
      setSave({ is: "saved" });
    },
    keepMine: () => {
      if (!conflict || !rig) return;
      settle(conflict.present);
      queue.current = [{ rig, label: "Kept from this window" }];
      setSave({ is: "saving" });
      void flush();
    },
  };
}
