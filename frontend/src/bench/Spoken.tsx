import { useEffect, useState } from "react";
import { Unseen } from "../ui/words";
import { useBench } from "./store/bench";
import type { State } from "./store/state";

/** What a change of the lights, or a step back or on, is called; null where there is nothing to say. */
function announcement(now: State, before: State): string | null {
  if (now.stepped !== before.stepped && now.stepped) return now.stepped.text;
  if (now.rig.lights === before.rig.lights) return null;
  const title = ({ name, id }: { name: string; id: string }) => name || id;
  const had = new Set(before.rig.lights.map((light) => light.id));
  const has = new Set(now.rig.lights.map((light) => light.id));
  const come = now.rig.lights.filter((light) => !had.has(light.id)).map(title);
  const gone = before.rig.lights.filter((light) => !has.has(light.id)).map(title);
  const parts = [come.length > 0 && `Added: ${come.join(", ")}`, gone.length > 0 && `Removed: ${gone.join(", ")}`].filter(Boolean);
  return parts.length > 0 ? parts.join(". ") : null;
}

const AGAIN = "\u00a0"; // makes the same words new, so that they are said again

/** Says to a screen reader what came, what went and what a step back or on did. */
export function Spoken() {
  const { store } = useBench();
  const [text, setText] = useState("");
  useEffect(
    () =>
      store.subscribe((now, before) => {
        const next = announcement(now, before);
        if (next) setText((last) => (last === next ? next + AGAIN : next));
      }),
    [store],
  );
  return (
    <Unseen role="status" aria-label="Announcements">
      {text}
    </Unseen>
  );
}
