import { useEffect, useState, type ReactNode } from "react";
import { call, type GroupInfo, type KindInfo, type Light, type Plate, type SettingInfo, type Stroke } from "../api/client";
import { Handles } from "./Handles";
import { BrushLayer } from "./masks/BrushLayer";
import { CornerHandles } from "./masks/CornerHandles";
import type { Brush } from "./masks/useMasking";
import type { Spot } from "./places";
import { isShown, type SettingValue, type Stage } from "./rig";
import type { Placement, Point } from "./view";

interface Props {
  plate: Plate;
  area: Point;
  placement: Placement;
  light: Light;
  kind: KindInfo;
  /** Strokes are being painted for the light. */
  painting: boolean;
  brush: Brush;
  brushGroup: GroupInfo;
  onResize: (brush: Brush) => void;
  /** A stroke as it grows, or null when it is done. */
  onDraw: (stroke: Stroke | null) => void;
  onChange: (stage: Stage, setting: SettingInfo, value: SettingValue) => void;
  onRest: (label: string) => void;
  onReset: (stage: Stage, setting: SettingInfo) => void;
  children?: ReactNode;
}

/** Directions of the picture's own straight edges, for lines that are to run along them. */
function useEdges(plateId: number, wanted: boolean): number[] {
  const [degrees, setDegrees] = useState<number[]>([]);
  useEffect(() => {
    if (!wanted) return;
    call("get", "/api/plates/{plate_id}/edges", { path: { plate_id: plateId } }).then(
      ({ data }) => data && setDegrees(data.degrees),
      // Without them lines snap to level and plumb alone.
      () => undefined,
    );
  }, [plateId, wanted]);
  return degrees;
}

/** Everything that a light shows on the picture to be dragged or painted, as its settings say. */
export function LightLayers({ plate, area, placement, light, kind, painting, brush, brushGroup, onResize, onDraw, onChange, onRest, onReset, children }: Props) {
  const groups = kind.groups.filter((g) => g.name === "source" || g.name === "spread");
  const all = groups.flatMap((group) => {
    const stage = group.name as "source" | "spread";
    const values = light[stage] as Record<string, unknown>;
    return group.settings.filter((s) => isShown(s, values)).map((setting) => ({ stage, setting, value: values[setting.name] }));
  });
  const paths = all.filter((one) => one.setting.handle === "path");
  const edges = useEdges(plate.id, paths.length > 0);
  const strokes = all.find((one) => one.setting.handle === "strokes");
  const spread = groups.find((g) => g.name === "spread");
  const keep = (stage: Stage, setting: SettingInfo, value: SettingValue, label: string) => {
    onChange(stage, setting, value);
    onRest(label);
  };
  if (painting && strokes) {
    const drawn = strokes.value as Stroke[];
    const centre = all.find((one) => one.setting.handle === "position");
    return (
      <BrushLayer
        plate={plate}
        placement={placement}
        brush={brush}
        group={brushGroup}
        hints={null}
        label="Paint light"
        through={centre ? (centre.value as Spot) : null}
        onResize={onResize}
        onDraw={onDraw}
        onDrop={(stroke) => {
          onDraw(null);
          keep(strokes.stage, strokes.setting, [...drawn, stroke], "Paint light");
        }}
      />
    );
  }
  return (
    <>
      {spread && (
        <Handles
          plate={plate}
          area={area}
          placement={placement}
          group={spread}
          values={light.spread}
          onChange={(name, value) => {
            const setting = spread.settings.find((s) => s.name === name);
            if (setting) onChange("spread", setting, value);
          }}
          onRest={onRest}
          onReset={(s) => onReset("spread", s)}
        >
          {children}
        </Handles>
      )}
      {all
        .filter((one) => one.setting.kind === "quads")
        .flatMap(({ stage, setting, value }) => {
          const quads = value as Spot[][];
          return quads.map((quad, k) => (
            <CornerHandles
              key={`${setting.name} ${k}`}
              plate={plate}
              placement={placement}
              label={`${setting.label} ${k + 1}`}
              free={false}
              corners={quad}
              onChange={(corners, label) => keep(stage, setting, quads.map((q, i) => (i === k ? corners : q)), label)}
            />
          ));
        })}
      {paths.map(({ stage, setting, value }) => (
        <CornerHandles
          key={`${setting.name} ${(value as Spot[]).length === 0 ? "new" : ""}`}
          plate={plate}
          placement={placement}
          label={setting.label}
          free
          open
          directions={edges}
          corners={value as Spot[]}
          onChange={(corners, label) => keep(stage, setting, corners, label)}
        />
      ))}
    </>
  );
}
