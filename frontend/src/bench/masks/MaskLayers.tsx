import type { GroupInfo, Plate, SettingInfo, Stroke } from "../../api/client";
import { Drawn } from "../Drawn";
import { Handles } from "../settings/Handles";
import { toPlate, type Placement, type Point } from "../view";
import { BrushLayer } from "./BrushLayer";
import { valueIn, withValue } from "./partTools";
import type { Masking } from "./useMasking";

interface Props {
  plate: Plate;
  area: Point;
  placement: Placement;
  masking: Masking;
  brushGroup: GroupInfo;
  onChange: (name: string, value: unknown) => void;
  onRest: (label: string) => void;
}

const SMALLEST_BOX = 12; // CSS pixels

/** What the part of a mask that is worked on shows on the picture: the brush, its corners, its handles. */
export function MaskLayers({ plate, area, placement, masking, brushGroup, onChange, onRest }: Props) {
  const { part, info, tools } = masking;
  if (!part || !info) return null;
  const title = part.name || info.title;
  const set = (setting: SettingInfo, value: unknown, label: string) =>
    masking.replace(withValue(part, setting, value), `${title}: ${label}`);
  const { box, strokes } = tools;
  if (box && masking.boxing) {
    return (
      <Drawn
        box
        label="Draw a loose box round the subject"
        onDone={(from, to) => {
          masking.setBoxing(false);
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
  return (
    <>
      {!masking.paints && (
        <Handles
          key={masking.index}
          plate={plate}
          area={area}
          placement={placement}
          groups={[{ group: info.group, values: part }]}
          onChange={(_, setting, value) => onChange(setting.name, value)}
          onRest={(label) => onRest(`${title}: ${label}`)}
          onReset={(_, setting) => set(setting, setting.default, setting.label)}
        />
      )}
      {masking.paints && (
        <BrushLayer
          plate={plate}
          placement={placement}
          brush={masking.brush}
          group={brushGroup}
          hints={box && strokes ? (valueIn(part, strokes) as Stroke[]) : null}
          label={box ? "Mark the subject" : `Paint on ${title}`}
          onResize={masking.setBrush}
          onDraw={masking.draw}
          onDrop={masking.drop}
        />
      )}
    </>
  );
}
