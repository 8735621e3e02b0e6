import { useCallback, useEffect, useState } from "react";
import { api, AWAY, said, type RunState } from "../api/client";

const EVERY = 700; // ms between looks while something is going

export type Act = "pause" | "resume" | "cancel" | "retry";

export function isGoing({ run }: RunState): boolean {
  return run.state === "waiting" || run.state === "working";
}

interface Runs {
  runs: RunState[] | null;
  change: (run: RunState, act: Act) => void;
  forget: (run: RunState) => void;
}

/** Every run, newest first, as they go on; what can be done with one. */
export function useRuns(warn: (what: string) => void): Runs {
  const [runs, setRuns] = useState<RunState[] | null>(null);
  const load = useCallback(async () => {
    const { data, error } = await api.GET("/api/runs");
    if (data) setRuns(data);
    else warn(said(error));
  }, [warn]);
  // Those that are over stay as they are, and are not asked for again.
  const going = (runs ?? []).filter((state) => isGoing(state) || state.run.items.some((item) => item.state === "working"));
  const asked = going.map(({ run }) => run.id).join(" ");

  useEffect(() => {
    load().catch(() => warn(AWAY));
  }, [load, warn]);
  useEffect(() => {
    if (asked === "") return;
    let busy = false;
    const look = async () => {
      for (const id of asked.split(" ").map(Number)) {
        const { data } = await api.GET("/api/runs/{run_id}", { params: { path: { run_id: id } } });
        if (data) setRuns((all) => (all ?? []).map((one) => (one.run.id === id ? data : one)));
      }
    };
    const timer = window.setInterval(() => {
      if (busy) return;
      busy = true;
      // A service that does not answer for a while is asked again; its runs go on when it is back.
      look()
        .catch(() => undefined)
        .finally(() => (busy = false));
    }, EVERY);
    return () => window.clearInterval(timer);
  }, [asked]);

  const change = (run: RunState, act: Act) => {
    api
      .POST("/api/runs/{run_id}/{act}", { params: { path: { run_id: run.run.id, act } } })
      .then(({ error }) => (error ? warn(said(error)) : load()))
      .catch(() => warn(AWAY));
  };
  const forget = (run: RunState) => {
    api
      .DELETE("/api/runs/{run_id}", { params: { path: { run_id: run.run.id } } })
      .then(({ error }) => (error ? warn(said(error)) : load()))
      .catch(() => warn(AWAY));
  };
  return { runs, change, forget };
}
