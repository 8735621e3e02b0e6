import { useState } from "react";
import { Input, TextField } from "react-aria-components";
import styled from "styled-components";
import { useRemark } from "./help";
import { focusRing, tone } from "./theme";

const Box = styled(Input)`
  width: 100%;
  height: 24px;
  padding: 0 4px;
  border: 1px solid transparent;
  border-radius: 2px;
  background: transparent;
  color: ${tone.text};
  font: inherit;
  text-align: right;
  user-select: text;
  &[data-hovered] {
    border-color: ${tone.line};
  }
  &[data-focused] {
    background: ${tone.base};
    border-color: ${tone.line};
    ${focusRing}
  }
`;

interface Props {
  label: string;
  value: number;
  low?: number | null | undefined;
  high?: number | null | undefined;
  step: number;
  shown: (value: number) => string;
  read: (text: string) => number | null;
  onCommit: (value: number) => void;
}

/** A number that can be typed, or nudged with the arrow keys. Enter takes it and gives the keys back; Escape takes the
 * typing back. */
export function NumberField({ label, value, low, high, step, shown, read, onCommit }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const remark = useRemark();
  const within = (v: number) => Math.min(high ?? Infinity, Math.max(low ?? -Infinity, v));
  const commit = () => {
    const next = typed === null ? null : read(typed);
    setTyped(null);
    if (typed === null || typed === shown(value)) return;
    if (next === null || !Number.isFinite(next)) {
      remark(`“${typed}” is no number; ${shown(value)} stays.`);
      return;
    }
    const held = within(next);
    if (held !== next)
      remark(`${typed} is too ${held < next ? "much" : "little"}: ${held < next ? "at most" : "at least"} ${shown(held)} here.`);
    onCommit(held);
  };
  return (
    <TextField aria-label={label} value={typed ?? shown(value)} onChange={setTyped}>
      <Box
        inputMode="decimal"
        onFocus={(event) => event.currentTarget.select()}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            event.currentTarget.blur();
          } else if (event.key === "Escape") {
            setTyped(null);
            // Blurring would keep what was typed.
            const field = event.currentTarget;
            window.setTimeout(() => field.blur());
            event.stopPropagation();
          } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
            event.preventDefault();
            const size = step * (event.shiftKey ? 10 : 1) * (event.key === "ArrowUp" ? 1 : -1);
            setTyped(null);
            onCommit(within(Number((value + size).toFixed(6))));
          }
        }}
      />
    </TextField>
  );
}
