import { Check } from "../../../ui/Check";
import { useBench, useNow } from "../../store/bench";
import { defaultsOf } from "../../store/rig";
import { Section } from "../Section";
import { SettingGroup } from "../settings/SettingGroup";

/** How near a matte stands: as it is found, or as it is set by hand. */
export function MatteStanding({ id, name }: { id: string; name: string }) {
  const { catalogue, editing, now } = useBench();
  const { standing } = catalogue;
  const stands = useNow((s) => s.rig.distance.stands);
  const near = stands[id];
  const put = (nearness: unknown) => editing.setting("distance", "stands", { ...now().rig.distance.stands, [id]: nearness });
  const rest = (what: string) => editing.rest(`${name}: ${what}`);
  const set = (on: boolean) => {
    const others = Object.fromEntries(Object.entries(stands).filter(([matte]) => matte !== id));
    const next = on ? { ...others, [id]: Number(defaultsOf(standing).nearness) } : others;
    editing.edit(editing.valued("distance", { stands: next }), `${name}: ${standing.label}`);
  };
  return (
    <Section style={{ marginTop: 0 }} aria-label={standing.label}>
      <Check label="Set by hand how near it stands" isSelected={near !== undefined} onChange={set} />
      {near !== undefined && (
        <SettingGroup
          plate={now().plate}
          group={standing}
          values={{ nearness: near }}
          onChange={(_, value) => put(value)}
          onRest={rest}
          onReset={(setting) => {
            put(setting.default);
            rest(`Reset ${setting.label}`);
          }}
        />
      )}
    </Section>
  );
}
