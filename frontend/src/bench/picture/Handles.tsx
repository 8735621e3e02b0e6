import { memo, useEffect, useMemo, useState, type ReactNode } from "react";
import { api, type GroupInfo, type SettingInfo } from "../../api/client";
import { viewOf } from "../column/settings/registry";
import { useBench, useNow, useSome } from "../store/bench";
import { isShown, valuesAt, type Place, type Values } from "../store/rig";
import { placementAtOrigin } from "../store/selectors";
import { Overlay } from "./handles/Overlay";

export interface HandleTools {
  onChange: (place: Place, setting: SettingInfo, value: unknown) => void;
  onRest: (label: string) => void;
  onReset: (place: Place, setting: SettingInfo) => void;
}

export interface Stage {
  place: Place;
  group: GroupInfo;
}

interface Props {
  label: string;
  stages: Stage[];
  /** Must stay the same from one drawing to the next. */
  tools: HandleTools;
  children?: ReactNode;
}

const NO_EDGES: number[] = [];

/** Directions of the picture's own straight edges, for lines that are to run along them. */
function useEdges(wanted: boolean): number[] {
  const plateId = useNow((s) => s.plate.id);
  const [degrees, setDegrees] = useState(NO_EDGES);
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

function sortOf(setting: SettingInfo): string {
  return "handle" in setting ? (setting.handle ?? "") : setting.type;
}

/** The handles of groups of settings on the picture, made from what the settings say of themselves. */
export function Handles({ label, stages, tools, children }: Props) {
  const shown = useNow((s) =>
    stages
      .flatMap(({ place, group }, stage) => {
        const values = valuesAt(s.rig, place);
        return group.settings.filter((one) => viewOf(one)?.Handle && isShown(one, values)).map((one) => `${stage} ${one.name}`);
      })
      .join(),
  );
  const handles = useMemo(() => {
    const names = new Set(shown.split(","));
    const found = stages.flatMap(({ place, group }, stage) =>
      group.settings
        .filter((one) => names.has(`${stage} ${one.name}`))
        .map((setting) => ({ place, setting, key: `${stage} ${setting.name}` })),
    );
    return found.map((one, index) => {
      const like = found.filter((other) => sortOf(other.setting) === sortOf(one.setting));
      return { ...one, view: viewOf(one.setting), turn: like.indexOf(found[index] ?? one), labelled: like.length > 1 };
    });
  }, [stages, shown]);
  const edges = useEdges(handles.some((h) => h.setting.type === "path"));
  const drawn = (apart: boolean, under: boolean) =>
    handles
      .filter((h) => (h.view?.apart ?? false) === apart && (apart || (h.view?.under ?? false) === under))
      .map(({ key, ...handle }) => <LiveHandle key={key} {...handle} edges={edges} tools={tools} />);
  return (
    <>
      {drawn(true, false)}
      <Overlay aria-label={label}>
        {drawn(false, true)}
        {drawn(false, false)}
        {children}
      </Overlay>
    </>
  );
}

interface LiveProps {
  place: Place;
  setting: SettingInfo;
  turn: number;
  labelled: boolean;
  edges: number[];
  tools: HandleTools;
}

/** The settings of its stage that a handle depends on. */
function dependsOn(setting: SettingInfo): string[] {
  const all: Values = { ...setting };
  const others = ["about", "apex", "above", "joined"].map((key) => all[key]);
  return [setting.name, ...others.filter((one): one is string => typeof one === "string" && one !== "")];
}

/** A handle that asks for just what it shows. */
const LiveHandle = memo(function LiveHandle({ place, setting, turn, labelled, edges, tools }: LiveProps) {
  const plate = useBench().now().plate;
  const placement = useNow(placementAtOrigin);
  const names = useMemo(() => dependsOn(setting), [setting]);
  const values = useSome((s) => {
    const all = valuesAt(s.rig, place);
    return Object.fromEntries(names.map((name) => [name, all[name]]));
  });
  const Handle = viewOf(setting)?.Handle;
  if (!Handle || !placement || values[setting.name] === undefined) return null;
  return (
    <Handle
      plate={plate}
      placement={placement}
      place={place}
      setting={setting}
      value={values[setting.name]}
      values={values}
      turn={turn}
      labelled={labelled}
      edges={edges}
      onChange={(value) => tools.onChange(place, setting, value)}
      onRest={(label) => tools.onRest(label ?? setting.label)}
      onReset={() => tools.onReset(place, setting)}
    />
  );
});
