import { useMemo } from "react";
import styled from "styled-components";
import type { GroupInfo, SettingInfo } from "../../api/client";
import { Button, Toggle } from "../../ui/Button";
import { tone } from "../../ui/theme";
import { stillProposed } from "../store/areas";
import { useBench, useNow, useSome } from "../store/bench";
import { lightOf, type Place } from "../store/rig";
import { LiveGroup } from "./settings/LiveGroup";

const Frame = styled.section`
  margin-bottom: 12px;
  .choices {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    align-items: center;
    align-content: start;
    min-height: 50px; /* two lines, so that nothing below moves when areas are found */
  }
  .choices > span {
    margin-right: 4px;
    color: ${tone.text};
  }
  .choices button {
    min-height: 24px;
    padding: 0 8px;
    max-width: 130px;
    overflow: hidden;
  }
`;

/** What stands before the light: nothing, an area that was found in the picture, or any matte; and how much spills past. */
export function Behind({ id }: { id: string }) {
  const { areas, editing, catalogue, masking } = useBench();
  const mattes = useNow((s) => s.rig.mattes);
  const proposed = useSome(stillProposed);
  const now = useNow((s) => lightOf(s.rig, id)?.behind.matte ?? "");
  const place = useMemo<Place>(() => ({ light: id, stage: "behind" }), [id]);
  const spill = useMemo(
    (): GroupInfo => ({ ...catalogue.behind, settings: catalogue.behind.settings.filter((s) => s.type === "number") }),
    [catalogue],
  );
  const tools = useMemo(() => {
    const named = () => lightOf(editing.now(), id)?.name ?? id;
    return {
      onChange: (name: string, value: unknown) => editing.setting(place, name, value),
      onRest: (label: string) => editing.rest(`${named()}: ${label}`),
      onReset: (setting: SettingInfo) => editing.reset(place, [setting], setting.label),
    };
  }, [editing, id, place]);
  return (
    <Frame aria-label="Behind">
      <div className="choices" role="group" aria-label="Behind">
        <span>Behind</span>
        <Toggle isSelected={now === ""} onChange={() => areas.standBehind(id, "")}>
          Nothing
        </Toggle>
        {mattes.map((matte) => (
          <Toggle key={matte.id} isSelected={now === matte.id} onChange={() => areas.standBehind(id, now === matte.id ? "" : matte.id)}>
            {matte.name || matte.id}
          </Toggle>
        ))}
        {proposed.map((area) => (
          <Toggle key={area.name} hint={area.about} isSelected={false} onChange={() => areas.take(area, id)}>
            {area.title}
          </Toggle>
        ))}
      </div>
      <LiveGroup place={place} group={spill} tools={tools} />
      <Button
        weight="bare"
        isDisabled={!mattes.some((matte) => matte.id === now)}
        hint="Opens the matte, where strokes add to it and take from it"
        onPress={() => masking.correct(now, true)}
      >
        Correct it…
      </Button>
    </Frame>
  );
}
