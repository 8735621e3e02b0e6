import { useCallback, useEffect, useState } from "react";
import { call, said, type Rig, type Take } from "../../api/client";
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
  const path = { plate_id: plateId };
  const load = useCallback(async () => {
    const { data, error } = await call("get", "/api/plates/{plate_id}/takes", { path: { plate_id: plateId } });
    if (data) setTakes(data.takes);
    else warn(said(error));
  }, [plateId, warn]);
  useEffect(() => {
    load().catch(() => warn("The takes could not be read: the service does not answer."));
  }, [load, warn]);

  return {
    takes,
    keep: async (name, rig) => {
      const { data, error } = await call("post", "/api/plates/{plate_id}/takes", { path, body: { name, rig } });
      if (data) setTakes((all) => [...all, data]);
      else warn(said(error));
    },
    rename: async (take, name) => {
      const { data, error } = await call("patch", "/api/takes/{take_id}", { path: { take_id: take.id }, body: { name } });
      if (data) setTakes((all) => all.map((t) => (t.id === data.id ? data : t)));
      else warn(said(error));
    },
    remove: async (take) => {
      const { error } = await call("delete", "/api/takes/{take_id}", { path: { take_id: take.id } });
      if (error) {
        warn(said(error));
        return;
      }
      setTakes((all) => all.filter((t) => t.id !== take.id));
      say(`${take.name} was deleted.`, {
        text: "Undo",
        act: () => void call("post", "/api/takes/{take_id}/restore", { path: { take_id: take.id } }).then(({ error: refused }) => (refused ? warn(said(refused)) : load())),
      });
    },
  };
}
