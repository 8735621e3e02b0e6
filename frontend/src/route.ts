import { useSyncExternalStore } from "react";

/** Where the window is: the home view, or the bench of a plate. */
export interface Route {
  plate: number | null;
}

function subscribe(changed: () => void): () => void {
  window.addEventListener("popstate", changed);
  return () => window.removeEventListener("popstate", changed);
}

export function useRoute(): Route {
  const path = useSyncExternalStore(subscribe, () => window.location.pathname);
  const match = /^\/plates\/(\d+)$/.exec(path);
  return { plate: match?.[1] ? Number(match[1]) : null };
}

export function go(path: string): void {
  window.history.pushState(null, "", path);
  window.dispatchEvent(new PopStateEvent("popstate"));
}
