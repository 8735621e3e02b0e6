import { useEffect, useMemo, useState, type ReactNode } from "react";
import styled from "styled-components";
import { createStore, useStore } from "zustand";
import { HelpContext, type HelpPlace } from "../../ui/help";
import { tone } from "../../ui/theme";
import { useNow } from "../store/bench";
import { remember, remembered } from "../store/remembered";
import { strokeHelp } from "../store/strokeHelp";

const Line = styled.p<{ $remark: boolean; $empty: boolean }>`
  height: ${(p) => (p.$empty ? "0" : "52px")};
  padding: ${(p) => (p.$empty ? "0" : "7px 12px")};
  overflow: hidden;
  border-top: ${(p) => (p.$empty ? "0" : "1px solid #111")};
  background: ${tone.base};
  color: ${(p) => (p.$remark ? tone.warning : tone.text)};
  font-size: 12px;
  line-height: 1.35;
`;

const SHOWN_FOR = 6000;
const QUIET = 2500; // ms without anything to say after which the room is given back

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

/** Whether there has been nothing to say for a while. */
function useQuiet(silent: boolean): boolean {
  const [quiet, setQuiet] = useState(false);
  useEffect(() => {
    const timer = window.setTimeout(() => setQuiet(silent), silent ? QUIET : 0);
    return () => window.clearTimeout(timer);
  }, [silent]);
  return quiet && silent;
}

function HelpLine({ help }: { help: HelpStore }) {
  const { help: text, remark } = useStore(help.store);
  const stroke = useNow(strokeHelp);
  const first = useFirstHint();
  const shown = remark ?? text ?? stroke ?? first;
  const empty = useQuiet(!shown);
  return (
    <Line $empty={empty} $remark={remark !== null} aria-label="Help" role={remark ? "status" : "note"}>
      {shown}
    </Line>
  );
}
