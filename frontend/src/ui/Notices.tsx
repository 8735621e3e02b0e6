import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from "react";
import styled from "styled-components";
import { Button } from "./Button";
import { Dialog } from "./Dialog";
import { tone } from "./theme";

interface Notice {
  id: number;
  text: string;
  wrong: boolean;
  /** It is said on the next page too. */
  stays?: boolean;
  action?: { text: string; act: () => void } | undefined;
}

/** Where something is said to a person. */
export interface Board {
  say: (text: string, action?: Notice["action"]) => void;
  warn: (text: string) => void;
  /** What should be known of something that the next page shows. */
  tell: (text: string) => void;
}

interface Notices extends Board {
  notices: Notice[];
  /** What went wrong, newest first, also when its notice is gone. */
  errors: Notice[];
  drop: (id: number) => void;
  forget: () => void;
}

const Context = createContext<Notices | null>(null);
const SHOWN_FOR = 9000;
const MOST_ERRORS = 50;

/** `page` names what is shown: a notice belongs to the page on which it was given. */
export function NoticeProvider({ page, children }: { page: string; children: ReactNode }) {
  const [notices, setNotices] = useState<Notice[]>([]);
  const [errors, setErrors] = useState<Notice[]>([]);
  const next = useRef(1);
  const drop = useCallback((id: number) => setNotices((all) => all.filter((n) => n.id !== id)), []);
  const add = useCallback(
    (notice: Omit<Notice, "id">) => {
      const made = { ...notice, id: next.current++ };
      setNotices((all) => [...all.filter((n) => n.text !== made.text).slice(-2), made]);
      if (made.wrong) setErrors((all) => [made, ...all].slice(0, MOST_ERRORS));
      window.setTimeout(() => drop(made.id), SHOWN_FOR);
    },
    [drop],
  );
  useEffect(() => setNotices((all) => all.filter((n) => n.stays).map((n) => ({ ...n, stays: false }))), [page]);
  const say = useCallback<Board["say"]>((text, action) => add({ text, action, wrong: false }), [add]);
  const warn = useCallback<Board["warn"]>((text) => add({ text, wrong: true }), [add]);
  const tell = useCallback<Board["tell"]>((text) => add({ text, wrong: false, stays: true }), [add]);
  const forget = useCallback(() => setErrors([]), []);
  const board = useMemo<Notices>(
    () => ({ notices, errors, drop, forget, say, warn, tell }),
    [notices, errors, drop, forget, say, warn, tell],
  );
  return <Context.Provider value={board}>{children}</Context.Provider>;
}

export function useNotices(): Notices {
  const board = useContext(Context);
  if (!board) throw new Error("useNotices outside NoticeProvider");
  return board;
}

const Stack = styled.div`
  zoom: var(--scale);
  position: fixed;
  left: 12px;
  bottom: 106px;
  display: grid;
  gap: 8px;
  z-index: 60;
  pointer-events: none;
`;

const Card = styled.div<{ $wrong: boolean }>`
  display: flex;
  align-items: center;
  gap: 12px;
  max-width: 560px;
  padding: 6px 6px 6px 12px;
  border-radius: 4px;
  border: 1px solid ${tone.line};
  border-left: 3px solid ${(p) => (p.$wrong ? tone.danger : tone.accent)};
  background: ${tone.raised};
  box-shadow: 0 4px 18px rgb(0 0 0 / 0.5);
  pointer-events: auto;
  span {
    user-select: text;
  }
`;

/** What was said last, in a place where there are no controls; each leaves by itself. */
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

const List = styled.ul`
  margin: 0;
  padding: 0 0 0 16px;
  display: grid;
  gap: 6px;
  user-select: text;
`;

/** What went wrong, to be read again; nothing where nothing did. */
export function Errors() {
  const { errors, forget } = useNotices();
  const [open, setOpen] = useState(false);
  if (errors.length === 0) return null;
  return (
    <>
      <Button weight="bare" hint="What went wrong, newest first" onPress={() => setOpen(true)}>
        Problems ({errors.length})
      </Button>
      <Dialog title="Problems" open={open} onClose={() => setOpen(false)}>
        <List>
          {errors.map((error) => (
            <li key={error.id}>{error.text}</li>
          ))}
        </List>
        <footer>
          <Button onPress={forget}>Clear the list</Button>
        </footer>
      </Dialog>
    </>
  );
}
