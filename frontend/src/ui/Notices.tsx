import { createContext, useCallback, useContext, useMemo, useRef, useState, type ReactNode } from "react";
import styled from "styled-components";
import { Button } from "./Button";
import { tone } from "./theme";

interface Notice {
  id: number;
  text: string;
  wrong: boolean;
  action?: { text: string; act: () => void } | undefined;
}

/** Where something is said to a person. */
export interface Board {
  say: (text: string, action?: Notice["action"]) => void;
  warn: (text: string) => void;
}

interface Notices extends Board {
  notices: Notice[];
  drop: (id: number) => void;
}

const Context = createContext<Notices | null>(null);
const SHOWN_FOR = 9000;

export function NoticeProvider({ children }: { children: ReactNode }) {
  const [notices, setNotices] = useState<Notice[]>([]);
  const next = useRef(1);
  const drop = useCallback((id: number) => setNotices((all) => all.filter((n) => n.id !== id)), []);
  const add = useCallback(
    (notice: Omit<Notice, "id">) => {
      const id = next.current++;
      setNotices((all) => [...all.slice(-3), { ...notice, id }]);
      // What went wrong stays until it is dismissed.
      if (!notice.wrong) window.setTimeout(() => drop(id), SHOWN_FOR);
    },
    [drop],
  );
  const say = useCallback<Board["say"]>((text, action) => add({ text, action, wrong: false }), [add]);
  const warn = useCallback<Board["warn"]>((text) => add({ text, wrong: true }), [add]);
  const board = useMemo<Notices>(() => ({ notices, drop, say, warn }), [notices, drop, say, warn]);
  return <Context.Provider value={board}>{children}</Context.Provider>;
}

export function useNotices(): Notices {
  const board = useContext(Context);
  if (!board) throw new Error("useNotices outside NoticeProvider");
  return board;
}

const Stack = styled.div`
  position: fixed;
  left: 50%;
  bottom: 22px;
  transform: translateX(-50%);
  display: grid;
  gap: 8px;
  z-index: 60;
`;

const Card = styled.div<{ $wrong: boolean }>`
  display: flex;
  align-items: center;
  gap: 12px;
  max-width: 640px;
  padding: 8px 8px 8px 14px;
  border-radius: 4px;
  border: 1px solid ${tone.line};
  border-left: 3px solid ${(p) => (p.$wrong ? tone.danger : tone.accent)};
  background: ${tone.raised};
  box-shadow: 0 4px 18px rgb(0 0 0 / 0.5);
  span {
    user-select: text;
  }
`;

export function Notices() {
  const { notices, drop } = useNotices();
  return (
    <Stack aria-live="polite" role="log" aria-label="Notices">
      {notices.map((notice) => (
        <Card key={notice.id} $wrong={notice.wrong} role={notice.wrong ? "alert" : "status"}>
          <span>{notice.text}</span>
          {notice.action && (
            <Button
              weight="strong"
              onPress={() => {
                notice.action?.act();
                drop(notice.id);
              }}
            >
              {notice.action.text}
            </Button>
          )}
          <Button weight="bare" aria-label="Dismiss" onPress={() => drop(notice.id)}>
            ×
          </Button>
        </Card>
      ))}
    </Stack>
  );
}
