import { useEffect, useRef } from "react";
import styled from "styled-components";
import type { GroupInfo, MaskPart, PartInfo, Plate } from "../../api/client";
import { Button, Toggle } from "../../ui/Button";
import { Progress } from "../../ui/Progress";
import { tone } from "../../ui/theme";
import { SettingGroup } from "../settings/SettingGroup";
import { BrushSettings } from "./BrushSettings";
import type { MaskActions } from "./maskActions";
import { toolsOf } from "./partTools";
import type { Masking } from "./useMasking";

const Open = styled.div`
  padding: 4px 0 6px 8px;
  border-left: 2px solid ${tone.accent};
  display: grid;
  gap: 6px;
  scroll-margin: 40px 0 16px;
  .note {
    color: ${tone.faint};
    font-size: 12px;
    line-height: 1.3;
  }
`;

interface Props {
  plate: Plate;
  part: MaskPart;
  title: string;
  kind: PartInfo;
  common: GroupInfo;
  brushGroup: GroupInfo;
  masking: Masking;
  /** Which part of the mask it is. */
  at: number;
  actions: MaskActions;
}

/** The part of a mask that is worked on: its tools, the brush, its settings. Comes into view when it is taken up. */
export function PartSettings({ plate, part, title, kind, common, brushGroup, masking, at, actions }: Props) {
  const { box, strokes, matte } = toolsOf(kind);
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => {
    frame.current?.scrollIntoView({ block: "nearest" });
  }, []);
  return (
    <Open ref={frame}>
      {masking.cutting && (
        <div className="row" style={{ display: "grid", gridTemplateColumns: "1fr auto" }}>
          <Progress label="Cutting the subject out" share={masking.cutting.share} />
          <Button onPress={masking.cutting.stop}>Cancel</Button>
        </div>
      )}
      {box && (
        <div className="row">
          <Toggle hint="Draw a loose box round the subject" isSelected={masking.boxing} onChange={masking.setBoxing}>
            Box
          </Toggle>
          <Toggle
            hint="Paint over what belongs to the subject"
            isSelected={masking.paints && !masking.brush.erase}
            onChange={() => {
              masking.setBoxing(false);
              masking.setBrush({ ...masking.brush, erase: false });
            }}
          >
            Mark in
          </Toggle>
          <Toggle
            hint="Paint over what does not belong to it (hold Alt)"
            isSelected={masking.paints && masking.brush.erase}
            onChange={() => {
              masking.setBoxing(false);
              masking.setBrush({ ...masking.brush, erase: true });
            }}
          >
            Mark out
          </Toggle>
        </div>
      )}
      {strokes && !box && (
        <div className="row">
          <Toggle isSelected={!masking.brush.erase} onChange={() => masking.setBrush({ ...masking.brush, erase: false })}>
            Paint
          </Toggle>
          <Toggle
            hint="Hold Alt to switch"
            isSelected={masking.brush.erase}
            onChange={() => masking.setBrush({ ...masking.brush, erase: true })}
          >
            {part.combine === "subtract" ? "Restore" : "Erase"}
          </Toggle>
        </div>
      )}
      {strokes && (
        <BrushSettings
          plate={plate}
          group={box ? { ...brushGroup, settings: brushGroup.settings.filter((s) => s.name === "size") } : brushGroup}
          masking={masking}
        />
      )}
      {[kind.group, common].map((group) => (
        <SettingGroup
          key={group.name}
          plate={plate}
          group={group}
          values={part}
          onChange={(name, value) => actions.onPart(at, name, value)}
          onRest={(label) => actions.onPartRest(`${title}: ${label}`)}
          onReset={(s) => actions.onPartReset(at, s)}
        />
      ))}
      {matte && (
        <div className="row">
          <Button onPress={actions.onNewMatte}>New matte</Button>
        </div>
      )}
      {masking.paints && (
        <p className="note">
          Size: comma and full stop, or Shift and the wheel. Hardness: the same keys with Shift, or Shift, Alt and the wheel. Hold Shift for
          a straight stroke, Alt to switch between painting and erasing.
        </p>
      )}
    </Open>
  );
}
