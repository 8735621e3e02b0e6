import { useSyncExternalStore } from "react";

/** Where the window is: the home view, the bench of a plate, or the runs, with one of them opened. */
export interface Route {
  plate: number | null;
  runs: boolean;
  run: number | null;
}

function subscribe(changed: () => void): () => void {
  window.addEventListener("popstate", changed);
  return () => window.removeEventListener("popstate", changed);
}

export function useRoute(): Route {
  const path = useSyncExternalStore(subscribe, () => window.location.pathname);
  const plate = /^\/plates\/(\d+)$/.exec(path)?.[1];
  const runs = /^\/runs(?:\/(\d+))?$/.exec(path);
  return { plate: plate ? Number(plate) : null, runs: runs !== null, run: runs?.[1] ? Number(runs[1]) : null };
}

export function go(path: string): void {
  window.history.pushState(null, "", path);
  window.dispatchEvent(new PopStateEvent("popstate"));
}
