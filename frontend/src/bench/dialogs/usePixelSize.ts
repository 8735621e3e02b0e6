import { useEffect, useState } from "react";
import { api, type PixelSize, type Rig } from "../../api/client";

/** Asks how many pixels the picture of an export has at a long edge; gives null where that is refused or not answered. */
async function pixelsAt(plateId: number, frame: number, rig: Rig, longEdge: number | null, signal: AbortSignal): Promise<PixelSize | null> {
  const params = { path: { plate_id: plateId }, query: { frame } };
  try {
    const { data } = await api.POST("/api/plates/{plate_id}/exports/pixels", { params, body: { rig, long_edge: longEdge }, signal });
    return data ?? null;
  } catch {
    return null;
  }
}

/** Pixels of the picture of an export: as it comes (`full`), and at the long edge that is asked for (`pixels`); null until they are
 * known. An edge that it cannot have is `wrong`. */
export function usePixelSize(plateId: number, frame: number, rig: Rig, longEdge: number | null) {
  const [full, setFull] = useState<PixelSize | null>(null);
  const [scaled, setScaled] = useState<PixelSize | null>(null);
  useEffect(() => {
    const leaving = new AbortController();
    void pixelsAt(plateId, frame, rig, null, leaving.signal).then((found) => !leaving.signal.aborted && setFull(found));
    return () => leaving.abort();
  }, [plateId, frame, rig]);
  const whole = longEdge === null || (Number.isInteger(longEdge) && longEdge >= 1);
  const wrong = !whole || (longEdge !== null && full !== null && longEdge > full.largest_edge);
  useEffect(() => {
    const leaving = new AbortController();
    setScaled(null);
    if (longEdge !== null && full !== null && !wrong)
      void pixelsAt(plateId, frame, rig, longEdge, leaving.signal).then((found) => !leaving.signal.aborted && setScaled(found));
    return () => leaving.abort();
  }, [plateId, frame, rig, longEdge, full, wrong]);
  return { full, pixels: longEdge === null ? full : scaled, wrong };
}
