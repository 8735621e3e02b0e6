import type { ReactNode } from "react";
import type { Catalogue, Facts, KindInfo, Light, Plate, Rig, SettingInfo } from "../api/client";
import { BrushSettings } from "./masks/BrushSettings";
import type { Masking } from "./masks/useMasking";
import { Numbers } from "./Numbers";
import { Path } from "./Path";
import { originOf, rounded, type Places, type PointLists, type Spot } from "./places";
import { valuesAt, withValues, type Stage } from "./rig";
import type { Tool } from "./tools";
import type { Editing } from "./useEditing";
import type { LightActions } from "./useLights";
import type { Shown } from "./usePreview";

interface Props {
  plate: Plate;
  rig: Rig;
  light: Light;
  kind: KindInfo;
  catalogue: Catalogue;
  places: Places;
  facts: Facts | null;
  pictures: Record<string, Shown>;
  large: Stage | null;
  tool: Tool | null;
  editing: Editing;
  lights: LightActions;
  masking: Masking;
  maskPanel: ReactNode;
  /** The place in the middle of what is on the screen, where a new point is put. */
  middle: () => Spot | null;
  onLarge: (stage: Stage | null) => void;
  onTool: (tool: Tool | null) => void;
  onSee: (place: Spot) => void;
  onStrip: (stage: Stage, setting: SettingInfo) => void;
  onFind: () => void;
  onPoints: (lists: PointLists, label: string) => void;
}

/** The path of the selected light, and what its settings do when they are touched. */
export function LightColumn({ plate, rig, light, kind, catalogue, places, facts, pictures, large, tool, editing, lights, masking, maskPanel, middle, onLarge, onTool, onSee, onStrip, onFind, onPoints }: Props) {
  const { newest, edit } = editing;
  const stageOf = (s: SettingInfo): Stage => (kind.groups.find((g) => g.settings.includes(s))?.name ?? "source") as Stage;
  const quads = (s: SettingInfo) => valuesAt(newest.current, { light: light.id, stage: stageOf(s) })[s.name] as Spot[][];
  const put = (s: SettingInfo, value: unknown[], label: string) => edit(withValues(newest.current, { light: light.id, stage: stageOf(s) }, { [s.name]: value }), `${light.name}: ${label}`);
  const { lists } = places;
  return (
    <Path
      plate={plate}
      light={light}
      kind={kind}
      pictures={pictures}
      large={large}
      onLarge={onLarge}
      onChange={(stage, name, value) => {
        const s = lights.settingOf(light.id, stage, name);
        if (s) editing.shared(light.id, stage, s, value);
      }}
      onRest={(label) => editing.rest(`${light.name}: ${label}`)}
      onReset={(stage, s) => editing.resetShared(light.id, stage, [s], s.label)}
      onResetStage={(stage, group) => editing.resetShared(light.id, stage, group.settings, group.label)}
      onLookAt={(value) => lights.look(light.id, value)}
      onBringIntoView={onSee}
      facts={facts}
      onStrip={onStrip}
      onMatch={(where) => (where === "spot" ? onTool("spot") : lights.match(light.id, originOf(places, facts)))}
      points={{
        add: (s) => {
          const at = middle();
          if (s.handle === "strokes") onTool(tool === "paint" ? null : "paint");
          else if (s.kind === "quads") lights.lengthen(light.id, stageOf(s), s);
          else if (lists && at) onPoints({ ...lists, placed: [...lists.placed, rounded(at)] }, "Add a point");
        },
        drop: (s) => put(s, quads(s).slice(0, -1), "one fewer"),
        clear: (s) => (s.kind === "points" && lists ? onPoints({ ...lists, [s.name]: [] }, s.label) : put(s, [], s.label)),
      }}
      brushPanel={tool === "paint" && <BrushSettings plate={plate} group={catalogue.brush} masking={masking} />}
      onFind={places.positions.length > 0 || lists ? onFind : undefined}
      maskPanel={maskPanel}
      numbers={<Numbers facts={facts} rig={rig} />}
    />
  );
}
