import { createStore, del, get, set, type UseStore } from "idb-keyval";
import type { Plate, Rig } from "../../api/client";

/** Something that is to be done with what is kept, in the order in which it was asked for. */
export type Task = { do: "save"; rig: Rig; label: string; lead: string | null } | { do: "undo" } | { do: "redo" };

/** Tasks that the service has not done yet, and the revision that they follow. */
export interface Unsaved {
  base: number;
  tasks: Task[];
}

/** Keeps what is not saved yet in the browser, so that it outlives the page. */
export function unsavedOf({ id, hash, created }: Plate) {
  let opened: UseStore | undefined;
  const shelf = () => (opened ??= createStore("aurelon-unsaved", "plates"));
  // Another data folder on the same port has other plates of the same numbers.
  const key = `${id} ${hash} ${created}`;
  return {
    // A browser that keeps nothing may refuse at once, before there is a promise to reject.
    read: async () => get<Unsaved>(key, shelf()),
    keep: async (unsaved: Unsaved) => set(key, unsaved, shelf()),
    forget: async () => del(key, shelf()),
  };
}
