import { Input, Label, TextField as AriaField } from "react-aria-components";
import styled from "styled-components";
import { focusRing, tone } from "./theme";

const Frame = styled(AriaField)`
  display: grid;
  gap: 4px;
  label {
    color: ${tone.faint};
  }
  input {
    height: 28px;
    padding: 0 8px;
    border: 1px solid ${tone.line};
    border-radius: 3px;
    background: ${tone.base};
    color: ${tone.strong};
    font: inherit;
    user-select: text;
  }
  input[data-focused] {
    ${focusRing}
  }
`;

interface Props {
  label: string;
  hideLabel?: boolean;
  value: string;
  autoFocus?: boolean;
  inputMode?: "text" | "numeric";
  placeholder?: string;
  onChange: (value: string) => void;
  onDone?: (kept: boolean) => void;
  /** Enter, where that does something at once. */
  onEnter?: () => void;
}

/** A line of text; Enter keeps it, Escape does not. */
export function TextField({ label, hideLabel, value, autoFocus, inputMode, placeholder, onChange, onDone, onEnter }: Props) {
  return (
    <Frame value={value} onChange={onChange} {...(hideLabel ? { "aria-label": label } : {})} {...(autoFocus ? { autoFocus } : {})}>
      {!hideLabel && <Label>{label}</Label>}
      <Input
        inputMode={inputMode}
        placeholder={placeholder}
        onFocus={(event) => event.currentTarget.select()}
        onBlur={() => onDone?.(true)}
        onKeyDown={(event) => {
          if (event.key === "Enter") onEnter?.();
          if (!onDone) return;
          if (event.key === "Enter") onDone(true);
          if (event.key === "Escape") onDone(false);
        }}
      />
    </Frame>
  );
}
