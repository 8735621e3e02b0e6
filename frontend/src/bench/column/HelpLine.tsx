import { useEffect, useLayoutEffect, useMemo, useRef, useState, type ReactNode, type RefObject } from "react";
import styled from "styled-components";
import { createStore, useStore } from "zustand";
import { HelpContext, type HelpPlace } from "../../ui/help";
import { tone } from "../../ui/theme";
import { useNow } from "../store/bench";
import { remember, remembered } from "../store/remembered";
import { strokeHelp } from "../store/strokeHelp";
import { HELP_HEIGHT } from "./Section";

const Line = styled.p<{ $remark: boolean; $empty: boolean; $above: boolean }>`
  position: absolute;
  inset: auto 0 ${(p) => (p.$above ? 3 * HELP_HEIGHT : 0)}px;
  height: ${HELP_HEIGHT}px;
  opacity: ${(p) => (p.$empty ? 0 : 1)};
  pointer-events: none;
  padding: 7px 12px;
  overflow: hidden;
  border: solid #111;
  border-width: ${(p) => (p.$above ? "1px 0" : "1px 0 0")};
  background: ${tone.base};
  color: ${(p) => (p.$remark ? tone.warning : tone.text)};
  font-size: 12px;
  line-height: 1.35;
`;

const SHOWN_FOR = 6000;
interface Said {
  help: string | null;
  remark: string | null;
}

type HelpStore = ReturnType<typeof makeHelp>;

function makeHelp() {
  const store = createStore<Said>(() => ({ help: null, remark: null }));
  let timer = 0;
  const place: HelpPlace = {
    help: (help) => store.setState({ help }),
    remark: (remark) => {
      store.setState({ remark });
      window.clearTimeout(timer);
      timer = window.setTimeout(() => store.setState({ remark: null }), SHOWN_FOR);
    },
  };
  return { store, place };
}

/** Gives all within it a place of its own for help, which `children` put where they will with the line they are given. */
export function WithHelp({ children }: { children: (line: ReactNode) => ReactNode }) {
  const [help] = useState(makeHelp);
  const line = useMemo(() => <HelpLine help={help} />, [help]);
  return <HelpContext.Provider value={help.place}>{children(line)}</HelpContext.Provider>;
}

const NEWS = "At each setting the small strip of pictures shows it stepped through on this plate: press it, and pick the best.";
const OPENED = "hinted-openings";
const ENOUGH = 3; // openings of a bench after which it is known

/** Says where test strips are, until one has been opened or the bench a few times. */
function useFirstHint(): string | null {
  const [shown, setShown] = useState(() => Number(remembered(OPENED)) < ENOUGH);
  const used = useNow((s) => s.strip !== null);
  useEffect(() => {
    remember(OPENED, Math.min(ENOUGH, Number(remembered(OPENED)) + 1));
  }, []);
  useEffect(() => {
    if (!used) return;
    remember(OPENED, ENOUGH);
    setShown(false);
  }, [used]);
  return shown ? NEWS : null;
}

/** Whether the line stands higher up, since the pointer is at a setting that it would cover. */
function useAbove(line: RefObject<HTMLElement | null>, shown: string | null): boolean {
  const [above, setAbove] = useState(false);
  const pointer = useRef({ x: 0, y: 0 });
  useEffect(() => {
    // The page learns that the pointer is over something new when it leaves what was before.
    const moved = (event: PointerEvent) => (pointer.current = { x: event.clientX, y: event.clientY });
    document.addEventListener("pointerout", moved, { capture: true });
    return () => document.removeEventListener("pointerout", moved, { capture: true });
  }, []);
  useLayoutEffect(() => {
    const column = line.current?.parentElement?.getBoundingClientRect();
    const height = line.current?.getBoundingClientRect().height ?? 0;
    const { x, y } = pointer.current;
    if (shown !== null && column) setAbove(x > column.left && y > column.bottom - 1.3 * height);
  }, [line, shown]);
  return above;
}

function HelpLine({ help }: { help: HelpStore }) {
  const { help: text, remark } = useStore(help.store);
  const stroke = useNow(strokeHelp);
  const first = useFirstHint();
  const shown = remark ?? text ?? stroke ?? first;
  const line = useRef<HTMLParagraphElement>(null);
  const above = useAbove(line, shown);
  return (
    <Line ref={line} $empty={!shown} $above={above} $remark={remark !== null} aria-label="Help" role={remark ? "status" : "note"}>
      {shown}
    </Line>
  );
}
