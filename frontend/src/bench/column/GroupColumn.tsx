import { useMemo, type ReactNode } from "react";
import styled from "styled-components";
import type { GroupInfo } from "../../api/client";
import { Button } from "../../ui/Button";
import { tone } from "../../ui/theme";
import { useBench } from "../store/bench";
import { scrolling } from "./Section";
import { LiveGroup, type LiveTools } from "./settings/LiveGroup";

const Column = styled.div`
  ${scrolling}
  header {
    display: grid;
    grid-template-columns: 1fr auto;
    margin-bottom: 12px;
  }
  h2 {
    font-size: 15px;
    color: ${tone.strong};
  }
  p {
    color: ${tone.faint};
    grid-column: 1 / -1;
  }
`;

interface Props {
  title: string;
  place: "prepare" | "house";
  group: GroupInfo;
  onResetAll: () => void;
  above?: ReactNode;
  below?: ReactNode;
}

/** The plate's preparation, or the house light. */
export function GroupColumn({ title, place, group, onResetAll, above, below }: Props) {
  const { editing } = useBench();
  const tools = useMemo<LiveTools>(
    () => ({
      onChange: (name, value) => editing.setting(place, name, value),
      onRest: editing.rest,
      onReset: (setting) => editing.reset(place, [setting], setting.label),
    }),
    [editing, place],
  );
  return (
    <Column role="region" aria-label={title}>
      <header>
        <h2>{title}</h2>
        <Button weight="bare" aria-label={`Reset ${title}`} onPress={onResetAll}>
          Reset
        </Button>
        <p>{group.help}</p>
      </header>
      {above}
      <LiveGroup place={place} group={group} tools={tools} />
      {below}
    </Column>
  );
}
