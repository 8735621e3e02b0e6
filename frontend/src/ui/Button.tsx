import type { ReactNode } from "react";
import { Button as AriaButton, ToggleButton as AriaToggle, type ButtonProps, type ToggleButtonProps } from "react-aria-components";
import styled, { css } from "styled-components";
import { Hint } from "./Hint";
import { focusRing, oneLine, tone } from "./theme";

type Weight = "plain" | "strong" | "bare";

const look = css<{ $weight: Weight }>`
  appearance: none;
  display: inline-flex;
  align-items: center;
  justify-content: center;
  gap: 6px;
  min-height: 26px;
  padding: 0 10px;
  border: 1px solid ${(p) => (p.$weight === "plain" ? tone.line : "transparent")};
  border-radius: 3px;
  background: ${(p) => (p.$weight === "strong" ? tone.accent : p.$weight === "plain" ? tone.raised : "transparent")};
  color: ${(p) => (p.$weight === "strong" ? tone.onAccent : tone.text)};
  font: inherit;
  font-weight: ${(p) => (p.$weight === "strong" ? 600 : 450)};
  white-space: nowrap;
  max-width: 100%;
  min-width: 0;
  cursor: default;
  /* What changes in a button between a press and its release would take the press away with what it replaces. */
  > * {
    pointer-events: none;
  }
  &[data-hovered] {
    background: ${(p) => (p.$weight === "strong" ? "#9bdcc5" : tone.hover)};
  }
  &[data-pressed] {
    transform: translateY(1px);
  }
  &[data-selected] {
    color: ${tone.accent};
    border-color: ${tone.accent};
  }
  &[data-disabled],
  &[data-pending] {
    opacity: 0.4;
  }
  &[data-focus-visible] {
    ${focusRing}
  }
`;

const Plain = styled(AriaButton)<{ $weight: Weight }>`
  ${look}
`;
const Toggled = styled(AriaToggle)<{ $weight: Weight }>`
  ${look}
`;

interface Shared {
  weight?: Weight;
  hint?: string | undefined;
  children: ReactNode;
}

const Text = styled.span`
  ${oneLine}
`;

const LONG = 18; // characters from which a text may not fit, so that it is its own hint

/** A text keeps its line and ends in dots where there is no room; the whole is its hint then. */
function fitted(children: ReactNode, hint: string | undefined): { children: ReactNode; hint: string | undefined } {
  if (typeof children !== "string") return { children, hint };
  return { children: <Text>{children}</Text>, hint: hint ?? (children.length > LONG ? children : undefined) };
}

export function Button({ weight = "plain", hint, children, ...rest }: Omit<ButtonProps, "children"> & Shared) {
  const shown = fitted(children, hint);
  const button = (
    <Plain $weight={weight} {...rest}>
      {shown.children}
    </Plain>
  );
  return shown.hint ? <Hint text={shown.hint}>{button}</Hint> : button;
}

export function Toggle({ weight = "plain", hint, children, ...rest }: Omit<ToggleButtonProps, "children"> & Shared) {
  const shown = fitted(children, hint);
  const button = (
    <Toggled $weight={weight} {...rest}>
      {shown.children}
    </Toggled>
  );
  return shown.hint ? <Hint text={shown.hint}>{button}</Hint> : button;
}
