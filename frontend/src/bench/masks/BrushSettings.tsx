import type { GroupInfo, Plate } from "../../api/client";
import { SettingGroup } from "../settings/SettingGroup";
import type { Masking } from "./useMasking";

/** The brush: what the next stroke will be like. Nothing of the rig changes by it. */
export function BrushSettings({ plate, group, masking }: { plate: Plate; group: GroupInfo; masking: Masking }) {
  const { brush, setBrush } = masking;
  return (
    <SettingGroup
      plate={plate}
      group={group}
      values={brush}
      onChange={(name, value) => setBrush({ ...brush, [name]: value })}
      onRest={() => undefined}
      onReset={(s) => setBrush({ ...brush, [s.name]: s.default })}
    />
  );
}
