import type { ReactElement } from "react";
import { Tooltip, TooltipTrigger } from "react-aria-components";
import styled from "styled-components";
import { tone } from "./theme";

const Bubble = styled(Tooltip)`
  max-width: 30ch;
  padding: 5px 8px;
  border-radius: 3px;
  background: ${tone.strong};
  color: #1a1a1a;
  font-size: 12px;
  line-height: 1.3;
`;

/** Help that shows while the pointer rests on, or the keyboard reaches, a control. */
export function Hint({ text, children }: { text: string; children: ReactElement }) {
  return (
    <TooltipTrigger delay={600} closeDelay={0}>
      {children}
      <Bubble offset={6}>{text}</Bubble>
    </TooltipTrigger>
  );
}
