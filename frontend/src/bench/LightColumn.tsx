import type { ReactNode } from "react";
import type { Catalogue, Facts, KindInfo, Light, Plate, Rig, SettingInfo } from "../api/client";
import { BrushSettings } from "./masks/BrushSettings";
import type { Masking } from "./masks/useMasking";
import { Numbers } from "./Numbers";
import { Path } from "./Path";
import { originOf, type Places, type Spot } from "./places";
import type { Stage } from "./rig";
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
}

/** The path of the selected light, and what its settings do when they are touched. */
export function LightColumn({
  plate,
  rig,
  light,
  kind,
  catalogue,
  places,
  facts,
  pictures,
  large,
  tool,
  editing,
  lights,
  masking,
  maskPanel,
  middle,
  onLarge,
  onTool,
  onSee,
  onStrip,
  onFind,
}: Props) {
  const add = (stage: Stage, setting: SettingInfo) => {
    const at = middle();
    if (setting.type === "quads" && (stage === "source" || stage === "spread"))
      editing.ask({ do: "next-quad", light: light.id, stage, setting: setting.name });
    else if (setting.type === "places" && at) editing.ask({ do: "point", light: light.id, act: "add", place: at, found: false, on: true });
  };
  return (
    <Path
      plate={plate}
      light={light}
      kind={kind}
      pictures={pictures}
      large={large}
      onLarge={onLarge}
      onChange={(stage, name, value) => editing.ofLight(light.id, stage, name, value)}
      onRest={(label) => editing.rest(`${light.name}: ${label}`)}
      onReset={(stage, s) => editing.resetOfLight(light.id, stage, [s], s.label)}
      onResetStage={(stage, group) => editing.resetOfLight(light.id, stage, group.settings, group.label)}
      onLookAt={(value) => lights.look(light.id, value)}
      onBringIntoView={onSee}
      facts={facts}
      onStrip={onStrip}
      onMatch={(where) => (where === "spot" ? onTool("spot") : lights.match(light.id, originOf(places, facts)))}
      onAdd={add}
      onPaint={() => onTool(tool === "paint" ? null : "paint")}
      reach={catalogue.limits.light_reach}
      brushPanel={tool === "paint" && <BrushSettings plate={plate} group={catalogue.brush} masking={masking} />}
      onFind={places.positions.length > 0 || places.points ? onFind : undefined}
      maskPanel={maskPanel}
      numbers={<Numbers facts={facts} rig={rig} />}
    />
  );
}
