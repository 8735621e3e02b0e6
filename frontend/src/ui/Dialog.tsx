import { useEffect, useRef, type ReactNode } from "react";
import { Dialog as AriaDialog, Heading, Modal, ModalOverlay } from "react-aria-components";
import styled from "styled-components";
import { Button } from "./Button";
import { Icon } from "./Icon";
import { HelpContext } from "./help";
import { tone } from "./theme";

const Shade = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  display: grid;
  place-items: center;
  background: rgb(0 0 0 / 0.45);
  z-index: 50;
  --most: calc(94vw / var(--scale));
`;

type Width = "narrow" | "fitting" | "wide";

const widths: Record<Width, string> = {
  narrow: "width: min(460px, var(--most));",
  fitting: "width: fit-content; min-width: min(460px, var(--most)); max-width: min(1120px, var(--most));",
  wide: "width: min(1120px, var(--most));",
};

const Window = styled(Modal)<{ $width: Width }>`
  ${(p) => widths[p.$width]}
  zoom: var(--scale);
  max-height: calc(92vh / var(--scale));
  overflow: auto;
  border: 1px solid ${tone.line};
  border-radius: 6px;
  background: ${tone.panel};
  box-shadow: 0 12px 48px rgb(0 0 0 / 0.6);
`;

const Body = styled(AriaDialog)`
  display: grid;
  gap: 14px;
  padding: 18px 20px;
  outline: none;
  > header {
    display: flex;
    gap: 12px;
    align-items: start;
    justify-content: space-between;
  }
  h2 {
    min-width: 0;
    overflow-wrap: anywhere;
    font-size: 16px;
    color: ${tone.strong};
  }
  footer {
    display: flex;
    justify-content: flex-end;
    gap: 8px;
  }
`;

interface Props {
  title: string;
  open: boolean;
  onClose: () => void;
  /** A choice that has to be made cannot be clicked away. */
  must?: boolean;
  /** Wide with pictures to choose from, fitting where it is as wide as what it holds. */
  width?: Width;
  children: ReactNode;
}

export function Dialog({ title, open, onClose, must = false, width = "narrow", children }: Props) {
  useEffect(() => {
    if (!open || must) return;
    // Escape closes it also when what had the keyboard is gone, as after an export.
    const key = (event: KeyboardEvent) => {
      if (event.key === "Escape" && document.activeElement === document.body) onClose();
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [open, must, onClose]);
  const body = useRef<HTMLElement>(null);
  useEffect(() => {
    // What had the keyboard may be gone with what the dialog now shows.
    if (open && document.activeElement === document.body) body.current?.focus();
  });
  return (
    <Shade isOpen={open} isDismissable={!must} isKeyboardDismissDisabled={must} onOpenChange={(now) => !now && onClose()}>
      <Window $width={width}>
        <Body ref={body} role={must ? "alertdialog" : "dialog"}>
          <header>
            <Heading slot="title" level={2}>
              {title}
            </Heading>
            {!must && (
              <Button weight="bare" aria-label="Close" onPress={onClose}>
                <Icon name="close" />
              </Button>
            )}
          </header>
          <HelpContext.Provider value={null}>{children}</HelpContext.Provider>
        </Body>
      </Window>
    </Shade>
  );
}
