import type { ReactNode } from "react";
import { Button } from "../ui/Button";

interface Props {
  hint: string;
  disabled?: boolean;
  onHold: (held: boolean) => void;
  children: ReactNode;
}

/** A button that acts for as long as it is held, by pointer or keyboard. */
export function HoldButton({ hint, disabled = false, onHold, children }: Props) {
  return (
    <Button hint={hint} isDisabled={disabled} onPressStart={() => onHold(true)} onPressEnd={() => onHold(false)}>
      {children}
    </Button>
  );
}
