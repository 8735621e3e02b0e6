import { useState, type ReactNode } from "react";
import styled from "styled-components";
import type { SettingInfo } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { Icon } from "../../../ui/Icon";
import { tone } from "../../../ui/theme";
import { remember, rememberedNames } from "../../store/remembered";

const Heading = styled.h4`
  margin: 8px 0 2px;
  font-size: 11px;
  font-weight: 500;
  letter-spacing: 0.04em;
  color: ${tone.faint};
  border-bottom: 1px solid ${tone.line};
`;

const More = styled.div`
  button {
    min-height: 24px;
    padding: 0 4px;
    color: ${tone.faint};
  }
`;

const OPENED = "opened-settings";

interface Props {
  label: string;
  settings: SettingInfo[];
  /** Under what name it is remembered that all settings are shown; without one they always are. */
  name?: string;
  row: (setting: SettingInfo) => ReactNode;
}

/** Settings under the headings of their groups. The essential ones are always there; the rest is one press away, and stays
 * open once it was opened. */
export function SettingList({ label, settings, name, row }: Props) {
  const [open, setOpen] = useState(() => name !== undefined && rememberedNames(OPENED).includes(name));
  const essential = settings.filter((s) => s.essential);
  const folds = name !== undefined && essential.length > 0 && essential.length < settings.length;
  const shown = folds && !open ? essential : settings;
  const groups = [...new Set(shown.map((s) => s.group))];
  const turn = () => {
    if (name === undefined) return;
    setOpen(!open);
    const others = rememberedNames(OPENED).filter((one) => one !== name);
    remember(OPENED, open ? others : [...others, name]);
  };
  return (
    <div role="group" aria-label={label}>
      {groups.map((group) => (
        <div key={group}>
          {group && groups.length > 1 && <Heading>{group}</Heading>}
          {shown.filter((s) => s.group === group).map(row)}
        </div>
      ))}
      {folds && (
        <More>
          <Button weight="bare" aria-expanded={open} aria-label={`${open ? "Fewer" : "More"} settings of ${label}`} onPress={turn}>
            <Icon name={open ? "open" : "shut"} size={14} />
            {open ? "Fewer" : `More (${settings.length - essential.length})`}
          </Button>
        </More>
      )}
    </div>
  );
}
