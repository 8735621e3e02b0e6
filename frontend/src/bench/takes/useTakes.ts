import { useCallback, useEffect, useState } from "react";
import { api, said, type Rig, type Take } from "../../api/client";
import { useNotices } from "../../ui/Notices";

export interface Takes {
  takes: Take[];
  keep: (name: string, rig: Rig) => Promise<void>;
  rename: (take: Take, name: string) => Promise<void>;
  remove: (take: Take) => Promise<void>;
}

/** The takes of a plate, and the keeping of them. */
export function useTakes(plateId: number): Takes {
  const { say, warn } = useNotices();
  const [takes, setTakes] = useState<Take[]>([]);
  const load = useCallback(async () => {
    const { data, error } = await api.GET("/api/plates/{plate_id}/takes", { params: { path: { plate_id: plateId } } });
    if (data) setTakes(data.takes);
    else warn(said(error));
  }, [plateId, warn]);
  useEffect(() => {
    load().catch(() => warn("The takes could not be read: the service does not answer."));
  }, [load, warn]);

  return {
    takes,
    keep: async (name, rig) => {
      const { data, error } = await api.POST("/api/plates/{plate_id}/takes", {
        params: { path: { plate_id: plateId } },
        body: { name, rig },
      });
      if (data) setTakes((all) => [...all, data]);
      else warn(said(error));
    },
    rename: async (take, name) => {
      const { data, error } = await api.PATCH("/api/takes/{take_id}", { params: { path: { take_id: take.id } }, body: { name } });
      if (data) setTakes((all) => all.map((t) => (t.id === data.id ? data : t)));
      else warn(said(error));
    },
    remove: async (take) => {
      const { error } = await api.DELETE("/api/takes/{take_id}", { params: { path: { take_id: take.id } } });
      if (error) {
        warn(said(error));
        return;
      }
      setTakes((all) => all.filter((t) => t.id !== take.id));
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
