import { useEffect, useRef, type ReactElement } from "react";
import { Tooltip, TooltipTrigger } from "react-aria-components";
import styled from "styled-components";
import { useHelp } from "./help";
import { tone } from "./theme";

const Bubble = styled(Tooltip)`
  max-width: 30ch;
  padding: 5px 8px;
  border-radius: 3px;
  background: ${tone.strong};
  color: #1a1a1a;
  font-size: calc(12px * var(--scale));
  line-height: 1.3;
`;

const RESTS = 120; // ms

/** Help for a control while the pointer rests on it, or the keyboard reaches it: in the place for help where there is
 * one, else beside it. */
export function Hint({ text, children }: { text: string; children: ReactElement }) {
  const place = useHelp();
  const shown = useRef(false);
  useEffect(() => {
    // What it says may change while it is shown, as a value is moved; it is read when that rests.
    if (!shown.current) return undefined;
    const timer = window.setTimeout(() => place?.help(text), RESTS);
    return () => window.clearTimeout(timer);
  }, [place, text]);
  useEffect(
    () => () => {
      // A control that goes away under the pointer is not left by it.
      if (shown.current) place?.help(null);
      shown.current = false;
    },
    [place],
  );
  if (place) {
    const tell = () => {
      shown.current = true;
      place.help(text);
    };
    const leave = () => {
      shown.current = false;
      place.help(null);
    };
    return (
      <span
        style={{ display: "contents" }}
        onPointerEnter={tell}
        onPointerLeave={leave}
        // A button that gets the keyboard back from a dialog says nothing until a key is pressed.
        onFocus={(event) => event.target.matches(":focus-visible") && tell()}
        onKeyDown={tell}
        onBlur={leave}
      >
        {children}
      </span>
    );
  }
  return (
    <TooltipTrigger delay={600} closeDelay={0}>
      {children}
      <Bubble offset={6}>{text}</Bubble>
    </TooltipTrigger>
  );
}
