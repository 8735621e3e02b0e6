import { Button } from "react-aria-components";
import styled from "styled-components";
import { focusRing, tone } from "./theme";

const Card = styled(Button)<{ $present: boolean }>`
  appearance: none;
  display: grid;
  gap: 4px;
  align-content: start;
  padding: 5px;
  border: 1px solid ${(p) => (p.$present ? tone.accent : "transparent")};
  border-radius: 4px;
  background: transparent;
  color: ${tone.text};
  font: inherit;
  text-align: left;
  img {
    width: 100%;
    display: block;
    border-radius: 2px;
  }
  b {
    font-weight: 600;
    color: ${(p) => (p.$present ? tone.accent : tone.strong)};
  }
  span {
    color: ${tone.faint};
    font-size: 12px;
    line-height: 1.25;
  }
  &[data-hovered] {
    background: ${tone.raised};
  }
  &[data-focus-visible] {
    ${focusRing}
  }
`;

interface Props {
  title: string;
  note?: string | undefined;
  /** JPEG in base64. */
  picture: string;
  present?: boolean;
  onPick: () => void;
}

/** One of several pictures to choose from. */
export function PictureChoice({ title, note, picture, present = false, onPick }: Props) {
  return (
    <Card $present={present} aria-label={present ? `${title}, as it is now` : title} onPress={onPick}>
      <img src={`data:image/jpeg;base64,${picture}`} alt="" draggable={false} />
      <b>{title}</b>
      {note && <span>{note}</span>}
    </Card>
  );
}
