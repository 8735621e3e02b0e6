import { useMemo } from "react";
import type { SettingInfo, Stroke } from "../../api/client";
import { useBench, useNow } from "../store/bench";
import { toolsOf, valueIn, withValue } from "../store/partTools";
import { isClear, ownerNow, partIndexNow, partNow, placementAtOrigin } from "../store/selectors";
import { BrushLayer } from "./BrushLayer";
import { Drawn } from "./Drawn";
import { Handles, type HandleTools } from "./Handles";
import { KeyPaths } from "./KeyPaths";
import { toPlate } from "./view";

const SMALLEST_BOX = 12; // CSS pixels

/** What the part of a mask that is worked on shows on the picture: the brush, its corners, its handles. */
export function MaskLayers() {
  const { now, masking, editing } = useBench();
  const part = useNow(partNow);
  const index = useNow(partIndexNow);
  const owner = useNow(ownerNow);
  const by = useNow((s) => (s.hand.tool.is === "part" ? s.hand.tool.by : null));
  const clear = useNow(isClear);
  const handles = useNow((s) => s.handles);
  const placement = useNow(placementAtOrigin);
  const plate = now().plate;
  const info = masking.info(part);
  const title = part?.name || (info?.title ?? "");
  const stages = useMemo(
    () => (owner && index !== null && info ? [{ place: { mask: owner, part: index }, group: info.group }] : []),
    [owner, index, info],
  );
  const tools = useMemo<HandleTools>(
    () => ({
      onChange: (place, setting, value) => editing.setting(place, setting.name, value),
      onRest: (label) => masking.partRest(`${title}: ${label}`),
      onReset: (place, setting) => editing.reset(place, [setting], setting.label),
    }),
    [editing, masking, title],
  );
  if (!part || !info || !placement || !clear) return null;
  const set = (setting: SettingInfo, value: unknown, label: string) =>
    masking.replace(withValue(part, setting, value), `${title}: ${label}`);
  const { box, strokes } = toolsOf(info);
  const picked = info.group.settings.find((s) => s.name === info.picked);
  if (by === "box" && box) {
    return (
      <Drawn
        box
        label={info.instruction}
        onDone={(from, to) => {
          masking.by("hints");
          if (Math.hypot(to.x - from.x, to.y - from.y) < SMALLEST_BOX) return;
          const [ax, ay] = toPlate(placement, plate, from);
          const [bx, by] = toPlate(placement, plate, to);
          const drawn = [Math.min(ax, bx), Math.min(ay, by), Math.max(ax, bx), Math.max(ay, by)].map((v) =>
            Number(Math.min(2, Math.max(-1, v)).toFixed(4)),
          );
          set(box, drawn, "box");
        }}
      />
    );
  }
  if (by === "click" && picked) {
    return (
      <Drawn
        label={info.instruction}
        onDone={(_, at) => {
          masking.by("handles");
          set(
            picked,
            toPlate(placement, plate, at).map((v) => Number(v.toFixed(4))),
            picked.label,
          );
        }}
      />
    );
  }
  if ((by === "brush" || by === "hints") && strokes) {
    return (
      <BrushLayer
        hints={by === "hints" ? (valueIn(part, strokes) as Stroke[]) : null}
        label={by === "hints" ? "Mark the subject" : `Paint on ${title}`}
        onDrop={masking.drop}
      />
    );
  }
  if (!handles) return null;
  return (
    <Handles key={index} label={`Handles of ${title}`} stages={stages} tools={tools}>
      <KeyPaths stages={stages} />
    </Handles>
  );
}
