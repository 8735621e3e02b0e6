import type { ReactNode } from "react";
import type { GroupInfo, Plate, SettingInfo } from "../../api/client";
import { isShown } from "../rig";
import type { Placement, Point } from "../view";
import { Overlay } from "./handles/Overlay";
import { viewOf } from "./registry";

interface Props {
  plate: Plate;
  area: Point;
  placement: Placement;
  groups: { group: GroupInfo; values: Record<string, unknown> }[];
  edges?: number[];
  onChange: (group: string, setting: SettingInfo, value: unknown) => void;
  onRest: (label: string) => void;
  onReset: (group: string, setting: SettingInfo) => void;
  children?: ReactNode;
}

/** The handles of groups of settings on the picture, made from what the settings say of themselves. */
export function Handles({ plate, area, placement, groups, edges = [], onChange, onRest, onReset, children }: Props) {
  const shown = groups.flatMap(({ group, values }) =>
    group.settings
      .filter((setting) => viewOf(setting)?.Handle && isShown(setting, values))
      .map((setting) => ({ group: group.name, setting, values })),
  );
  const turns = new Map<string, number>();
  const handles = shown.map(({ group, setting, values }) => {
    const view = viewOf(setting);
    const sort = "handle" in setting ? (setting.handle ?? "") : setting.type;
    const turn = turns.get(sort) ?? 0;
    turns.set(sort, turn + 1);
    const Handle = view?.Handle;
    return {
      apart: view?.apart ?? false,
      under: view?.under ?? false,
      made: Handle && (
        <Handle
          key={`${group} ${setting.name}`}
          plate={plate}
          area={area}
          placement={placement}
          setting={setting}
          value={values[setting.name]}
          values={values}
          turn={turn}
          edges={edges}
          onChange={(value) => onChange(group, setting, value)}
          onRest={(label) => onRest(label ?? setting.label)}
          onReset={() => onReset(group, setting)}
        />
      ),
    };
  });
  return (
    <>
      <Overlay aria-label="Handles on the picture">
        {handles.filter((h) => !h.apart && h.under).map((h) => h.made)}
        {handles.filter((h) => !h.apart && !h.under).map((h) => h.made)}
        {children}
      </Overlay>
      {handles.filter((h) => h.apart).map((h) => h.made)}
    </>
  );
}
