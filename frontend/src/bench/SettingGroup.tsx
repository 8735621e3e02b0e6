import type { GroupInfo, SettingInfo } from "../api/client";
import { isShown, type SettingValue } from "./rig";
import { SettingRow } from "./SettingRow";
import type { Size } from "./units";

interface Props {
  plate: Size;
  group: GroupInfo;
  values: Record<string, unknown>;
  onChange: (name: string, value: SettingValue) => void;
  onRest: (label: string) => void;
  onReset: (setting: SettingInfo) => void;
  onBringIntoView?: ((position: [number, number]) => void) | undefined;
  onStrip?: ((setting: SettingInfo) => void) | undefined;
  points?: { add: (setting: SettingInfo) => void; drop: (setting: SettingInfo) => void; clear: (setting: SettingInfo) => void } | undefined;
}

/** The settings of a stage, of the plate or of the house light. */
export function SettingGroup({ plate, group, values, onChange, onRest, onReset, onBringIntoView, onStrip, points }: Props) {
  return (
    <div role="group" aria-label={group.label}>
      {group.settings
        .filter((setting) => isShown(setting, values))
        .map((setting) => (
          <SettingRow
            key={setting.name}
            plate={plate}
            setting={setting}
            value={values[setting.name] as SettingValue}
            onChange={(value) => onChange(setting.name, value)}
            onRest={() => onRest(setting.label)}
            onReset={() => onReset(setting)}
            onStrip={onStrip && (() => onStrip(setting))}
            onPoints={points && { add: () => points.add(setting), drop: () => points.drop(setting), clear: () => points.clear(setting) }}
            onBringIntoView={onBringIntoView && (() => onBringIntoView(values[setting.name] as [number, number]))}
          />
        ))}
    </div>
  );
}
