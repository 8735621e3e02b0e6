import type { ReactNode } from "react";
import { Button as AriaButton, ToggleButton as AriaToggle, type ButtonProps, type ToggleButtonProps } from "react-aria-components";
import styled, { css } from "styled-components";
import { Hint } from "./Hint";
import { focusRing, tone } from "./theme";

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
  cursor: default;
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
  &[data-disabled] {
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

export function Button({ weight = "plain", hint, ...rest }: Omit<ButtonProps, "children"> & Shared) {
  const button = <Plain $weight={weight} {...rest} />;
  return hint ? <Hint text={hint}>{button}</Hint> : button;
}

export function Toggle({ weight = "plain", hint, ...rest }: Omit<ToggleButtonProps, "children"> & Shared) {
  const button = <Toggled $weight={weight} {...rest} />;
  return hint ? <Hint text={hint}>{button}</Hint> : button;
}
