import { useEffect, useRef, type FocusEvent, type HTMLAttributes, type KeyboardEvent, type RefObject } from "react";
import { FocusScope, useFocusManager } from "react-aria";

/** Marks what Left and Right go to; what stands in the same group is reached by Up and Down. */
export const STOP = { "data-stop": "" };

const ALONG: Record<string, 1 | -1> = { ArrowRight: 1, ArrowLeft: -1 };
const WITHIN: Record<string, 1 | -1> = { ArrowDown: 1, ArrowUp: -1 };

type Props = Omit<HTMLAttributes<HTMLDivElement>, "role"> & { "aria-label": string; ref?: RefObject<HTMLDivElement | null> };

/** A toolbar that is one stop of the Tab key. Left and Right go to the next group's first control, Up and Down to the next
 * control of a group; sliders keep Left and Right for themselves, typed values all arrows. */
export function OneStop(props: Props) {
  return (
    <FocusScope>
      <Bar {...props} />
    </FocusScope>
  );
}

function Bar({ ref, ...props }: Props) {
  const focus = useFocusManager();
  const last = useRef<HTMLElement | null>(null);
  const own = useRef<HTMLDivElement>(null);
  const bar = ref ?? own;
  const byTab = useRef(false);
  useEffect(() => {
    // Tab moves the focus before the next task.
    const note = (event: globalThis.KeyboardEvent) => {
      byTab.current = event.key === "Tab";
      window.setTimeout(() => (byTab.current = false));
    };
    window.addEventListener("keydown", note, true);
    return () => window.removeEventListener("keydown", note, true);
  }, []);

  const enter = (event: FocusEvent<HTMLDivElement>) => {
    if (!byTab.current || event.currentTarget.contains(event.relatedTarget)) return;
    const chosen = bar.current?.querySelector<HTMLElement>('[data-stop][aria-pressed="true"]');
    const next = last.current?.isConnected ? last.current : chosen;
    if (next && next !== event.target) next.focus();
  };
  const press = (event: KeyboardEvent<HTMLDivElement>) => {
    const { target } = event;
    if (!(target instanceof HTMLElement) || !event.currentTarget.contains(target)) return;
    if (event.key === "Tab") {
      // The browser goes on from the end of the bar; what had the keyboard has it again on the way back.
      last.current = target;
      byTab.current = false;
      if (event.shiftKey) focus?.focusFirst({ tabbable: true });
      else focus?.focusLast({ tabbable: true });
      return;
    }
    if (event.ctrlKey || event.altKey || event.metaKey || target.matches("input")) return;
    const group = target.closest('[role="group"]:has([data-stop])');
    const along = target.matches('[role="slider"]') ? undefined : ALONG[event.key];
    const within = group ? WITHIN[event.key] : undefined;
    if (!along && !within) return;
    event.preventDefault();
    event.stopPropagation();
    const accept = (one: Element) => (along ? one.hasAttribute("data-stop") : (group?.contains(one) ?? false));
    if ((along ?? within) === 1) focus?.focusNext({ tabbable: true, accept });
    else focus?.focusPrevious({ tabbable: true, accept });
  };
  return <div ref={bar} role="toolbar" aria-orientation="horizontal" {...props} onKeyDownCapture={press} onFocus={enter} />;
}
