import { useEffect, useMemo, useState } from "react";
import type { DistanceFound } from "../../api/client";
import styled from "styled-components";
import { api } from "../../api/client";
import { Toggle } from "../../ui/Button";
import { useBench, useNow } from "../store/bench";
import { LiveGroup, type LiveTools } from "./settings/LiveGroup";
import { Section } from "./Section";

const Views = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
`;

/** How far things are in the plate: what tells it, and the map of it. */
export function DistanceSection() {
  const { catalogue, editing, show, now } = useBench();
  const { plate } = now();
  const large = useNow((s) => s.large);
  const origin = useNow((s) => s.rig.distance.origin);
  const [found, setFound] = useState<DistanceFound | null>(null);
  useEffect(() => {
    api.GET("/api/plates/{plate_id}/distance", { params: { path: { plate_id: plate.id } } }).then(
      ({ data }) => setFound(data ?? null),
      // What it is found by is said only where it is known.
      () => undefined,
    );
  }, [plate.id]);
  const tools = useMemo<LiveTools>(
    () => ({
      onChange: (name, value) => editing.setting("distance", name, value),
      onRest: editing.rest,
      onReset: (setting) => editing.reset("distance", [setting], setting.label),
    }),
    [editing],
  );
  const group = catalogue.distance;
  return (
    <Section aria-label={group.label}>
      <h3>{group.label}</h3>
      <p>{group.help}.</p>
      <LiveGroup place="distance" group={group} tools={tools} />
      {origin === "found" && found && (
        <p>
          Found by {found.origin}, {Math.round(found.sure * 100)} % sure.
        </p>
      )}
      {origin !== "none" && (
        <Views>
          <Toggle
            hint="White is near, black infinitely far"
            isSelected={large === "distance"}
            onChange={(on) => show(on ? "distance" : null)}
          >
            Show the distance
          </Toggle>
          <Toggle
            hint="Which way things face, as lights on them see it: red right, green up, blue toward the eye"
            isSelected={large === "form"}
            onChange={(on) => show(on ? "form" : null)}
          >
            Show the form
          </Toggle>
        </Views>
      )}
    </Section>
  );
}
