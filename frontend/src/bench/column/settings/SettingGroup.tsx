import type { GroupInfo, SettingInfo } from "../../../api/client";
import { isShown } from "../../store/rig";
import type { Size } from "../units";
import { Row } from "./Row";
import { SettingList } from "./SettingList";

interface Props {
  plate: Size;
  group: GroupInfo;
  values: Record<string, unknown>;
  onChange: (name: string, value: unknown) => void;
  onRest: (label: string) => void;
  onReset: (setting: SettingInfo) => void;
}

/** Settings that are no part of a rig: a brush, a file that is written. */
export function SettingGroup({ plate, group, values, onChange, onRest, onReset }: Props) {
  return (
    <SettingList
      label={group.label}
      settings={group.settings.filter((setting) => isShown(setting, values))}
      row={(setting) => (
        <Row
          key={setting.name}
          plate={plate}
          setting={setting}
          value={values[setting.name]}
          onChange={(value) => onChange(setting.name, value)}
          onRest={() => onRest(setting.label)}
          onReset={() => onReset(setting)}
        />
      )}
    />
  );
}
