import { useEffect, useState } from "react";
import { api, type Facts, type Rig } from "../api/client";

const REST = 220; // ms without a change after which the numbers are asked for

/** Facts of the rig as it rests: histograms, clipping, what lights say, points of light. */
export function useFacts(plateId: number, rig: Rig, light: string | null, resting: boolean): Facts | null {
  const [facts, setFacts] = useState<Facts | null>(null);
  useEffect(() => {
    if (!resting) return;
    let left = false;
    const timer = window.setTimeout(() => {
      api.POST("/api/plates/{plate_id}/facts", { params: { path: { plate_id: plateId } }, body: { rig, light } }).then(
        ({ data }) => !left && data && setFacts(data),
        // The preview says that the service is away; the numbers come again with the next change.
        () => undefined,
      );
    }, REST);
    return () => {
      left = true;
      window.clearTimeout(timer);
    };
  }, [plateId, rig, light, resting]);
  return facts;
}
