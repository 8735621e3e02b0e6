import { Button, Label, ListBox, ListBoxItem, Popover, Select as AriaSelect, SelectValue } from "react-aria-components";
import styled from "styled-components";
import { Icon } from "./Icon";
import { focusRing, oneLine, tone } from "./theme";

const Frame = styled(AriaSelect)`
  display: grid;
  gap: 4px;
  min-width: 0;
  > div {
    display: grid;
    min-width: 0;
  }
  .react-aria-SelectValue {
    ${oneLine}
  }
  > label {
    color: ${tone.faint};
  }
`;

const Field = styled(Button)`
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 6px;
  height: 24px;
  padding: 0 4px 0 8px;
  border: 1px solid ${tone.line};
  border-radius: 3px;
  background: ${tone.raised};
  color: ${tone.text};
  font: inherit;
  &[data-hovered] {
    background: ${tone.hover};
  }
  &[data-focus-visible] {
    ${focusRing}
  }
`;

export const Sheet = styled(Popover)`
  min-width: var(--trigger-width);
  border: 1px solid ${tone.line};
  border-radius: 4px;
  background: ${tone.panel};
  box-shadow: 0 6px 22px rgb(0 0 0 / 0.5);
  overflow: auto;
`;

const List = styled(ListBox)`
  zoom: var(--scale);
`;

const Item = styled(ListBoxItem)`
  max-width: 48ch;
  overflow-wrap: anywhere;
  padding: 4px 12px 4px 10px;
  &[data-focused] {
    background: ${tone.hover};
    outline: none;
  }
  &[data-selected] {
    color: ${tone.accent};
  }
`;

interface Props {
  label: string;
  hideLabel?: boolean;
  value: string;
  options: { value: string; text: string }[];
  onChange: (value: string) => void;
}

export function Select({ label, hideLabel, value, options, onChange }: Props) {
  return (
    <Frame
      aria-label={hideLabel ? label : undefined}
      value={value}
      onChange={(key) => key !== null && key !== value && onChange(String(key))}
    >
      {!hideLabel && <Label>{label}</Label>}
      {/* Closed, it takes no letters: a key that is meant for the page would choose something. */}
      <div onKeyDownCapture={(event) => event.key.length === 1 && event.key !== " " && event.stopPropagation()}>
        <Field>
          <SelectValue />
          <Icon name="open" size={14} />
        </Field>
      </div>
      <Sheet>
        <List>
          {options.map((option) => (
            <Item key={option.value} id={option.value} textValue={option.text}>
              {option.text}
            </Item>
          ))}
        </List>
      </Sheet>
    </Frame>
  );
}
