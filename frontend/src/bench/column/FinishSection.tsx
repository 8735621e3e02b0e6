import { useMemo } from "react";
import { useBench } from "../store/bench";
import { ViewRow } from "./ColourRows";
import { LiveGroup, type LiveTools } from "./settings/LiveGroup";
import { Section } from "./Section";

/** The last step of the rig: what becomes of light above white, here and in files. */
export function FinishSection() {
  const { catalogue, editing } = useBench();
  const tools = useMemo<LiveTools>(
    () => ({
      onChange: (name, value) => editing.setting("finish", name, value),
      onRest: editing.rest,
      onReset: (setting) => editing.reset("finish", [setting], setting.label),
    }),
    [editing],
  );
  const group = catalogue.finish;
  return (
    <Section aria-label={group.label}>
      <h3>{group.label}</h3>
      <p>{group.help}.</p>
      <LiveGroup place="finish" group={group} tools={tools} />
      <ViewRow />
    </Section>
  );
}
