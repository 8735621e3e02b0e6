import type { GroupInfo, SettingInfo } from "../../api/client";
import type { Spot } from "../places";
import { isShown } from "../rig";
import type { Size } from "../units";
import { Row } from "./Row";

interface Props {
  plate: Size;
  group: GroupInfo;
  values: Record<string, unknown>;
  onChange: (name: string, value: unknown) => void;
  onRest: (label: string) => void;
  onReset: (setting: SettingInfo) => void;
  onBringIntoView?: ((place: Spot) => void) | undefined;
  onStrip?: ((setting: SettingInfo) => void) | undefined;
  onAdd?: ((setting: SettingInfo) => void) | undefined;
  onPaint?: (() => void) | undefined;
}

/** The settings of a stage, of the plate or of the house light. */
export function SettingGroup({ plate, group, values, onChange, onRest, onReset, onBringIntoView, onStrip, onAdd, onPaint }: Props) {
  return (
    <div role="group" aria-label={group.label}>
      {group.settings
        .filter((setting) => isShown(setting, values))
        .map((setting) => (
          <Row
            key={setting.name}
            plate={plate}
            setting={setting}
            value={values[setting.name]}
            onChange={(value) => onChange(setting.name, value)}
            onRest={() => onRest(setting.label)}
            onReset={() => onReset(setting)}
            onStrip={onStrip && setting.swept ? () => onStrip(setting) : undefined}
            onAdd={onAdd && (() => onAdd(setting))}
            onPaint={onPaint}
            onBringIntoView={onBringIntoView}
          />
        ))}
    </div>
  );
}
