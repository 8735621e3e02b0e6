import { Button } from "react-aria-components";
import styled from "styled-components";
import { focusRing, oneLine, tone } from "./theme";
import { Unseen } from "./words";

const Card = styled(Button)<{ $present: boolean }>`
  appearance: none;
  display: grid;
  gap: 2px;
  align-content: start;
  padding: 5px;
  border: 1px solid ${(p) => (p.$present ? tone.accent : "transparent")};
  border-radius: 4px;
  background: transparent;
  color: ${tone.text};
  font: inherit;
  text-align: left;
  /* A picture that comes between a press and its release would take the press away with what it replaces. */
  > * {
    pointer-events: none;
  }
  img,
  .empty {
    width: 100%;
    display: block;
    border-radius: 2px;
    background: ${tone.base};
  }
  .empty {
    display: grid;
    place-items: center;
    color: ${tone.faint};
    font-size: 12px;
  }
  b {
    ${oneLine}
    font-weight: 600;
    color: ${(p) => (p.$present ? tone.accent : tone.strong)};
  }
  .note {
    overflow-wrap: anywhere;
    color: ${tone.faint};
    font-size: 12px;
    line-height: 1.25;
  }
  &[data-hovered],
  &[data-current] {
    background: ${tone.raised};
  }
  &[data-current] {
    border-color: ${tone.faint};
  }
  &[data-focus-visible] {
    ${focusRing}
  }
`;

interface Props {
  title: string;
  note?: string | undefined;
  /** JPEG in base64; null while it is on its way. */
  picture: string | null;
  /** It cannot be picked before its picture is there. */
  waits?: boolean;
  /** It is what is there now. */
  present?: boolean;
  /** It is the one that the keys have come to. */
  current?: boolean;
  onPick: () => void;
}

/** One of several pictures to choose from. */
export function PictureChoice({ title, note, picture, waits = true, present = false, current = false, onPick }: Props) {
  return (
    <Card $present={present} isDisabled={waits && picture === null} data-current={current || undefined} onPress={onPick}>
      {picture === null ? (
        <span className="empty">being made…</span>
      ) : (
        <img src={`data:image/jpeg;base64,${picture}`} alt="" draggable={false} />
      )}
      <b>
        {title}
        {present && <Unseen>, as it is now</Unseen>}
      </b>
      {note && <span className="note">{note}</span>}
    </Card>
  );
}
