import type { ReactNode, RefObject } from "react";
import { Keyboard, Menu as AriaMenu, MenuItem, MenuTrigger, Text } from "react-aria-components";
import styled from "styled-components";
import { Sheet } from "./Select";
import { tone } from "./theme";

const List = styled(AriaMenu)`
  zoom: var(--scale);
  padding: 4px 0;
  outline: none;
`;

const Item = styled(MenuItem)`
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 24px;
  padding: 5px 12px;
  min-width: 180px;
  max-width: 48ch;
  overflow-wrap: anywhere;
  &[data-focused] {
    background: ${tone.hover};
    outline: none;
  }
  &[data-disabled] {
    opacity: 0.4;
  }
  kbd {
    font: inherit;
    color: ${tone.faint};
  }
  [slot="description"] {
    grid-column: 1 / -1;
    color: ${tone.faint};
    font-size: 12px;
  }
`;

export interface Choice {
  id: string;
  text: string;
  about?: string;
  keys?: string;
  disabled?: boolean;
  act: () => void;
}

function Choices({ label, choices }: { label: string; choices: Choice[] }) {
  return (
    <List aria-label={label} onAction={(key) => choices.find((c) => c.id === key)?.act()}>
      {choices.map((choice) => (
        <Item key={choice.id} id={choice.id} textValue={choice.text} isDisabled={choice.disabled ?? false}>
          <Text slot="label">{choice.text}</Text>
          {choice.keys && <Keyboard>{choice.keys}</Keyboard>}
          {choice.about && <Text slot="description">{choice.about}</Text>}
        </Item>
      ))}
    </List>
  );
}

/** A button (the child) that opens a list of things to do. */
export function Menu({ label, choices, children }: { label: string; choices: Choice[]; children: ReactNode }) {
  return (
    <MenuTrigger>
      {children}
      <Sheet>
        <Choices label={label} choices={choices} />
      </Sheet>
    </MenuTrigger>
  );
}

interface AtProps {
  label: string;
  choices: Choice[];
  anchor: RefObject<HTMLElement | null>;
  open: boolean;
  onClose: () => void;
}

/** The same list, opened by a right click on `anchor`. */
export function ContextMenu({ label, choices, anchor, open, onClose }: AtProps) {
  return (
    <Sheet triggerRef={anchor} isOpen={open} onOpenChange={(now) => !now && onClose()} placement="top start">
      <Choices
        label={label}
        choices={choices.map((c) => ({
          ...c,
          act: () => {
            onClose();
            c.act();
          },
        }))}
      />
    </Sheet>
  );
}
