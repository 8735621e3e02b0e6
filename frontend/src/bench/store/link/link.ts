import type { Heard, Told } from "./messages";

export interface Link {
  tell: (told: Told) => void;
  close: () => void;
}

/** A thread that speaks with the service; `onHeard` gets what comes from there. */
export function openLink(onHeard: (heard: Heard) => void): Link {
  const worker = new Worker(new URL("./link.worker.ts", import.meta.url), { type: "module", name: "preview" });
  worker.onmessage = ({ data }: MessageEvent<Heard>) => onHeard(data);
  return {
    tell: (told) => worker.postMessage(told),
    close: () => worker.terminate(),
  };
}
