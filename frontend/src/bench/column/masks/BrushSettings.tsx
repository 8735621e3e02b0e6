import type { SettingInfo } from "../../../api/client";
import { useBench, useNow } from "../../store/bench";
import { brushNow } from "../../store/masking";
import { SettingGroup } from "../settings/SettingGroup";

/** The brush: what the next stroke will be like. Nothing of the rig changes by it. */
export function BrushSettings({ only }: { only?: (setting: SettingInfo) => boolean }) {
  const { catalogue, masking, now } = useBench();
  const brush = useNow(brushNow);
  const { brush: group } = catalogue;
  return (
    <SettingGroup
      plate={now().plate}
      group={only ? { ...group, settings: group.settings.filter(only) } : group}
      values={{ ...brush }}
      onChange={(name, value) => masking.setBrush({ [name]: value })}
      onRest={() => undefined}
      onReset={(s) => masking.setBrush({ [s.name]: s.default })}
    />
  );
}
