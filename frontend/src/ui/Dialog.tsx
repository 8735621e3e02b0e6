import { useEffect, type ReactNode } from "react";
import { Dialog as AriaDialog, Heading, Modal, ModalOverlay } from "react-aria-components";
import styled from "styled-components";
import { HelpContext } from "./help";
import { tone } from "./theme";

const Shade = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  display: grid;
  place-items: center;
  background: rgb(0 0 0 / 0.45);
  z-index: 50;
`;

const Window = styled(Modal)<{ $wide: boolean }>`
  width: min(${(p) => (p.$wide ? "1120px" : "460px")}, 94vw);
  max-height: 90vh;
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
  h2 {
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
  /** Room for pictures to choose from. */
  wide?: boolean;
  children: ReactNode;
}

export function Dialog({ title, open, onClose, must = false, wide = false, children }: Props) {
  useEffect(() => {
    if (!open || must) return;
    // Escape closes it also when what had the keyboard is gone, as after an export.
    const key = (event: KeyboardEvent) => {
      if (event.key === "Escape" && document.activeElement === document.body) onClose();
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [open, must, onClose]);
  return (
    <Shade isOpen={open} isDismissable={!must} isKeyboardDismissDisabled={must} onOpenChange={(now) => !now && onClose()}>
      <Window $wide={wide}>
        <Body role={must ? "alertdialog" : "dialog"}>
          <Heading slot="title" level={2}>
            {title}
          </Heading>
          <HelpContext.Provider value={null}>{children}</HelpContext.Provider>
        </Body>
      </Window>
    </Shade>
  );
}
