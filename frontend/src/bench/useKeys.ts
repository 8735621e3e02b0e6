import { useEffect, useRef } from "react";

/** What a key does. `release` ends what is held. */
export interface Key {
  keys: string;
  does: string;
  press: () => void;
  release?: () => void;
}

function nameOf(event: KeyboardEvent): string {
  const key = event.key.length === 1 ? event.key.toUpperCase() : event.key;
  return [
    event.ctrlKey || event.metaKey ? "Ctrl" : "",
    event.altKey ? "Alt" : "",
    event.shiftKey && key.length > 1 ? "Shift" : event.shiftKey && (event.ctrlKey || event.metaKey) ? "Shift" : "",
    key,
  ]
    .filter(Boolean)
    .join(" ");
}

function isTyping(target: EventTarget | null): boolean {
  return target instanceof HTMLInputElement && target.type !== "range";
}

/** The bench's keys, anywhere but where text is typed or a dialog is open. */
export function useKeys(keys: Key[], active: boolean): void {
  const current = useRef(keys);
  useEffect(() => {
    current.current = keys;
  });
  useEffect(() => {
    if (!active) return;
    const held = new Set<Key>();
    const down = (event: KeyboardEvent) => {
      if (isTyping(event.target) || event.defaultPrevented) return;
      const key = current.current.find((k) => k.keys === nameOf(event));
      if (!key) return;
      event.preventDefault();
      if (event.repeat && key.release) return;
      if (key.release) held.add(key);
      key.press();
    };
    const up = (event: KeyboardEvent) => {
      for (const key of held) {
        if (key.keys.endsWith(event.key.toUpperCase())) {
          held.delete(key);
          current.current.find((k) => k.keys === key.keys)?.release?.();
        }
      }
    };
    const leave = () => {
      held.forEach((key) => key.release?.());
      held.clear();
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", leave);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", leave);
    };
  }, [active]);
}
