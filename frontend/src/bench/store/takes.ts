import type { StoreApi } from "zustand";
import { api, said, type Rig, type Take } from "../../api/client";
import type { Board } from "../../ui/Notices";
import type { State } from "./state";

export type Takes = ReturnType<typeof makeTakes>;

/** The takes of a plate, and the keeping of them. */
export function makeTakes(store: StoreApi<State>, { say, warn }: Board) {
  const params = { path: { plate_id: store.getState().plate.id } };
  const change = (make: (takes: Take[]) => Take[]) => store.setState((s) => ({ takes: make(s.takes) }));
  const load = async () => {
    const { data, error } = await api.GET("/api/plates/{plate_id}/takes", { params });
    if (data) change(() => data.takes);
    else warn(said(error));
  };
  return {
    load: () => load().catch(() => warn("The takes could not be read: the service does not answer.")),
    keep: async (name: string, rig: Rig) => {
      const { data, error } = await api.POST("/api/plates/{plate_id}/takes", { params, body: { name, rig } });
      if (data) change((all) => [...all, data]);
      else warn(said(error));
    },
    rename: async (take: Take, name: string) => {
      const { data, error } = await api.PATCH("/api/takes/{take_id}", { params: { path: { take_id: take.id } }, body: { name } });
      if (data) change((all) => all.map((t) => (t.id === data.id ? data : t)));
      else warn(said(error));
    },
    remove: async (take: Take) => {
      const { error } = await api.DELETE("/api/takes/{take_id}", { params: { path: { take_id: take.id } } });
      if (error) {
        warn(said(error));
        return;
      }
      change((all) => all.filter((t) => t.id !== take.id));
      say(`${take.name} was deleted.`, {
        text: "Undo",
        act: () =>
          void api
            .POST("/api/takes/{take_id}/restore", { params: { path: { take_id: take.id } } })
            .then(({ error: refused }) => (refused ? warn(said(refused)) : load())),
      });
    },
  };
}
