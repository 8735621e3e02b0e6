import { useMemo } from "react";
import type { SettingInfo, Stage } from "../../../api/client";
import { useBench } from "../../store/bench";
import { HANDLES } from "../../store/hand";
import { lightOf } from "../../store/rig";
import { paneNow, placementNow } from "../../store/selectors";
import { toPlate } from "../../picture/view";
import type { LiveTools } from "../settings/LiveGroup";
import { viewOf } from "../settings/registry";

/** What settings of a stage do when they are touched. */
export function useStageTools(id: string, stage: Stage): LiveTools {
  const { editing, viewing, strip, take, now } = useBench();
  return useMemo(() => {
    const named = () => lightOf(now().rig, id)?.name ?? id;
    /** The place in the middle of what is on the screen, where a new point is put. */
    const middle = () => {
      const s = now();
      const placement = placementNow(s);
      const pane = paneNow(s);
      return placement && toPlate(placement, s.plate, { x: pane.x / 2, y: pane.y / 2 });
    };
    return {
      onChange: (name, value) => editing.ofLight(id, stage, name, value),
      onRest: (label) => editing.rest(`${named()}: ${label}`),
      onReset: (setting) => editing.reset({ light: id, stage }, [setting], setting.label),
      onBringIntoView: (place) => viewing.see(place),
      onStrip: (setting) => strip(stage, setting),
      onAdd: (setting: SettingInfo) => {
        const edit = viewOf(setting)?.adding?.({ light: id, stage, setting: setting.name, middle: middle() });
        if (edit) editing.ask(edit);
      },
      onAlone: (setting: SettingInfo) => {
        const edit = viewOf(setting)?.alone?.(id);
        if (edit) editing.ask(edit);
      },
      onPaint: () => take(now().hand.tool.is === "light" ? HANDLES : { is: "light", drawn: null }),
    };
  }, [editing, viewing, strip, take, now, id, stage]);
}
