import { useEffect, useState } from "react";
import { api, type AnyExport, type Rig } from "../../api/client";

const REST = 350; // ms without a change, after which the file is tried

/** About how many bytes an export will have, once the hand rests; null while that is not known. */
export function useFileSize(plateId: number, frame: number, rig: Rig, options: AnyExport | null): number | null {
  const [about, setAbout] = useState<number | null>(null);
  const asked = JSON.stringify(options);
  useEffect(() => {
    setAbout(null);
    const leaving = new AbortController();
    const timer = setTimeout(() => {
      const wanted = JSON.parse(asked) as AnyExport | null;
      if (!wanted) return;
      api
        .POST("/api/plates/{plate_id}/exports/size", {
          params: { path: { plate_id: plateId }, query: { frame } },
          body: { rig, export: wanted },
          signal: leaving.signal,
        })
        // What is wrong with the choice is said when it is exported; until then no size is shown.
        .then(({ data }) => setAbout(data?.about ?? null))
        .catch(() => setAbout(null));
    }, REST);
    return () => {
      clearTimeout(timer);
      leaving.abort();
    };
  }, [plateId, frame, rig, asked]);
  return about;
}
