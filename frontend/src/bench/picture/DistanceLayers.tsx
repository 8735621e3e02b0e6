import { useMemo } from "react";
import { useBench, useNow } from "../store/bench";
import { isClear } from "../store/selectors";
import { Handles, type HandleTools } from "./Handles";

/** What the distance of the plate shows on the picture while the plate is selected. */
export function DistanceLayers() {
  const { catalogue, editing } = useBench();
  const shown = useNow((s) => s.selection === "plate" && s.handles && isClear(s) && s.hand.tool.is === "handles");
  const stages = useMemo(() => [{ place: "distance" as const, group: catalogue.distance }], [catalogue]);
  const tools = useMemo<HandleTools>(
    () => ({
      onChange: (place, setting, value) => editing.setting(place, setting.name, value),
      onRest: (label) => editing.rest(label),
      onReset: (place, setting) => editing.reset(place, [setting], setting.label),
    }),
    [editing],
  );
  return shown && <Handles label="Handles of the distance" stages={stages} tools={tools} />;
}
