import { useEffect, useState } from "react";
import { api, type ReelExport, type Rig } from "../../api/client";

/** What becomes of a reel in the file that is chosen, where that is not what one would expect. */
export function useReelNotes(plateId: number, rig: Rig, reel: ReelExport | null): string[] {
  const [notes, setNotes] = useState<string[]>([]);
  const asked = JSON.stringify(reel);
  useEffect(() => {
    setNotes([]);
    const wanted = JSON.parse(asked) as ReelExport | null;
    if (!wanted) return undefined;
    const leaving = new AbortController();
    api
      .POST("/api/plates/{plate_id}/reel/notes", {
        params: { path: { plate_id: plateId } },
        body: { rig, reel: wanted },
        signal: leaving.signal,
      })
      // What is wrong with the choice is said when it is exported.
      .then(({ data }) => setNotes(data ?? []))
      .catch(() => setNotes([]));
    return () => leaving.abort();
  }, [plateId, rig, asked]);
  return notes;
}
