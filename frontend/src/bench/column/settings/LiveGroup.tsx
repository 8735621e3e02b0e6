import { memo, useMemo } from "react";
import type { GroupInfo, SettingInfo } from "../../../api/client";
import { useBench, useNow } from "../../store/bench";
import type { Spot } from "../../store/places";
import { isShown, valuesAt, type Place } from "../../store/rig";
import { KeyTools } from "./KeyTools";
import { Row } from "./Row";
import { SettingList } from "./SettingList";

export interface LiveTools {
  onChange: (name: string, value: unknown) => void;
  onRest: (label: string) => void;
  onReset: (setting: SettingInfo) => void;
  onStrip?: (setting: SettingInfo) => void;
  onAdd?: (setting: SettingInfo) => void;
  onAlone?: (setting: SettingInfo) => void;
  onPaint?: () => void;
  onBringIntoView?: (place: Spot) => void;
}

interface Props {
  place: Place;
  group: GroupInfo;
  /** Under what name it is remembered that all settings are shown. */
  name?: string;
  /** Must stay the same from one drawing to the next. */
  tools: LiveTools;
}

/** The settings of a stage, of the plate, of the house light or of a part of a mask. Each row asks for its own value, so
 * that a change of one draws that one anew. */
export function LiveGroup({ place, group, name, tools }: Props) {
  const shown = useNow((s) => {
    const values = valuesAt(s.rig, place);
    return group.settings
      .filter((setting) => isShown(setting, values) && (!setting.over_frames || s.plate.frames > 1))
      .map((setting) => setting.name)
      .join(" ");
  });
  const names = shown.split(" ");
  return (
    <SettingList
      label={group.label}
      name={name}
      settings={group.settings.filter((setting) => names.includes(setting.name))}
      row={(setting) => <LiveRow key={setting.name} place={place} group={group} setting={setting} tools={tools} />}
    />
  );
}

interface RowOf {
  place: Place;
  group: GroupInfo;
  setting: SettingInfo;
  tools: LiveTools;
}

const LiveRow = memo(function LiveRow({ place, group, setting, tools }: RowOf) {
  const { store } = useBench();
  const value = useNow((s) => valuesAt(s.rig, place)[setting.name]);
  const plate = store.getState().plate;
  const own = useMemo(
    () => ({
      onChange: (next: unknown) => tools.onChange(setting.name, next),
      onRest: () => tools.onRest(setting.label),
      onReset: () => tools.onReset(setting),
      onStrip: tools.onStrip && setting.swept ? () => tools.onStrip?.(setting) : undefined,
      onAdd: tools.onAdd && (() => tools.onAdd?.(setting)),
      onAlone: tools.onAlone && (() => tools.onAlone?.(setting)),
      onPaint: tools.onPaint,
      onBringIntoView: tools.onBringIntoView,
      keys: plate.frames > 1 && setting.keyed ? <KeyTools place={place} group={group} setting={setting} /> : undefined,
    }),
    [setting, group, tools, place, plate],
  );
  return <Row plate={plate} setting={setting} value={value} {...own} />;
});
