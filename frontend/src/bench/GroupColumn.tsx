import type { ReactNode } from "react";
import styled from "styled-components";
import type { GroupInfo, Plate, SettingInfo } from "../api/client";
import { Button } from "../ui/Button";
import { tone } from "../ui/theme";
import { SettingGroup } from "./settings/SettingGroup";

const Column = styled.div`
  padding: 12px;
  height: 100%;
  overflow: auto;
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
  plate: Plate;
  title: string;
  group: GroupInfo;
  values: Record<string, unknown>;
  onChange: (name: string, value: unknown) => void;
  onRest: (label: string) => void;
  onReset: (setting: SettingInfo) => void;
  onResetAll: () => void;
  above?: ReactNode;
  below?: ReactNode;
}

/** The plate's preparation, or the house light. */
export function GroupColumn({ plate, title, group, values, onChange, onRest, onReset, onResetAll, above, below }: Props) {
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
      <SettingGroup plate={plate} group={group} values={values} onChange={onChange} onRest={onRest} onReset={onReset} />
      {below}
    </Column>
  );
}
