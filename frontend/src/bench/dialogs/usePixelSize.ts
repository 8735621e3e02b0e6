import { useEffect, useState } from "react";
import { api, type PixelSize, type Rig } from "../../api/client";

/** Pixels of the picture of an export: as it comes (`full`), and at the long edge that is asked for; null until they are known, or
 * where it cannot have that size. */
export function usePixelSize(plateId: number, frame: number, rig: Rig, longEdge: number | null) {
  const [full, setFull] = useState<PixelSize | null>(null);
  const [pixels, setPixels] = useState<PixelSize | null>(null);
  useEffect(() => {
    const leaving = new AbortController();
    setPixels(null);
    api
      .POST("/api/plates/{plate_id}/exports/pixels", {
        params: { path: { plate_id: plateId }, query: { frame } },
        body: { rig, long_edge: longEdge },
        signal: leaving.signal,
      })
      .then(({ data }) => {
        setPixels(data ?? null);
        if (longEdge === null && data) setFull(data);
      })
      .catch(() => setPixels(null));
    return () => leaving.abort();
  }, [plateId, frame, rig, longEdge]);
  return { full, pixels };
}
