import { useMemo, useState, type ReactNode } from "react";
import styled from "styled-components";
import { createStore, useStore } from "zustand";
import { HelpContext, type HelpPlace } from "../../ui/help";
import { tone } from "../../ui/theme";
import { useNow } from "../store/bench";
import { strokeHelp } from "../store/strokeHelp";

const Line = styled.p<{ $remark: boolean }>`
  height: 52px;
  padding: 7px 12px;
  overflow: hidden;
  border-top: 1px solid #111;
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

function HelpLine({ help }: { help: HelpStore }) {
  const { help: text, remark } = useStore(help.store);
  const stroke = useNow(strokeHelp);
  return (
    <Line $remark={remark !== null} aria-label="Help" role={remark ? "status" : "note"}>
      {remark ?? text ?? stroke}
    </Line>
  );
}
