import { useEffect, useState, type ReactNode } from "react";
import { api, type GroupInfo, type KindInfo, type Light, type Plate, type SettingInfo, type Stroke } from "../api/client";
import { BrushLayer } from "./masks/BrushLayer";
import type { Brush } from "./masks/useMasking";
import type { Spot } from "./places";
import { isShown, type Stage } from "./rig";
import { Handles } from "./settings/Handles";
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
  onChange: (stage: Stage, setting: SettingInfo, value: unknown) => void;
  onRest: (label: string) => void;
  onReset: (stage: Stage, setting: SettingInfo) => void;
  children?: ReactNode;
}

/** Directions of the picture's own straight edges, for lines that are to run along them. */
function useEdges(plateId: number, wanted: boolean): number[] {
  const [degrees, setDegrees] = useState<number[]>([]);
  useEffect(() => {
    if (!wanted) return;
    api.GET("/api/plates/{plate_id}/edges", { params: { path: { plate_id: plateId } } }).then(
      ({ data }) => data && setDegrees(data.degrees),
      // Without them lines snap to level and plumb alone.
      () => undefined,
    );
  }, [plateId, wanted]);
  return degrees;
}

/** Everything that a light shows on the picture to be dragged or painted, as its settings say. */
export function LightLayers({
  plate,
  area,
  placement,
  light,
  kind,
  painting,
  brush,
  brushGroup,
  onResize,
  onDraw,
  onChange,
  onRest,
  onReset,
  children,
}: Props) {
  const groups = kind.groups
    .filter((g) => g.name === "source" || g.name === "spread")
    .map((group): { group: GroupInfo; values: Record<string, unknown> } => ({ group, values: light[group.name as Stage] }));
  const all = groups.flatMap(({ group, values }) =>
    group.settings
      .filter((s) => isShown(s, values))
      .map((setting) => ({ stage: group.name as Stage, setting, value: values[setting.name] })),
  );
  const edges = useEdges(
    plate.id,
    all.some((one) => one.setting.type === "path"),
  );
  const strokes = all.find((one) => one.setting.type === "strokes");
  if (painting && strokes) {
    const drawn = strokes.value as Stroke[];
    const centre = all.find((one) => one.setting.type === "place");
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
          onChange(strokes.stage, strokes.setting, [...drawn, stroke]);
          onRest("Paint light");
        }}
      />
    );
  }
  return (
    <Handles
      plate={plate}
      area={area}
      placement={placement}
      groups={groups}
      edges={edges}
      onChange={(group, setting, value) => onChange(group as Stage, setting, value)}
      onRest={onRest}
      onReset={(group, setting) => onReset(group as Stage, setting)}
    >
      {children}
    </Handles>
  );
}
