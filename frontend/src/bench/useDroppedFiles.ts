import { useEffect } from "react";
import { sendPlate, whyOf } from "../api/client";
import { go } from "../route";

/** A picture that is dropped on the bench is brought in as a plate, and opened; one that is refused is told of here. */
export function useDroppedFiles(warn: (text: string) => void): void {
  useEffect(() => {
    const stop = new AbortController();
    const hasFiles = (event: DragEvent) => event.dataTransfer?.types.includes("Files") ?? false;
    const over = (event: DragEvent) => hasFiles(event) && event.preventDefault();
    const drop = (event: DragEvent) => {
      const file = event.dataTransfer?.files[0];
      if (!file) return;
      event.preventDefault();
      sendPlate(file, () => undefined, stop.signal).then(
        (plate) => go(`/plates/${plate.id}`),
        (error: unknown) => !stop.signal.aborted && warn(whyOf(error)),
      );
    };
    window.addEventListener("dragover", over);
    window.addEventListener("drop", drop);
    return () => {
      stop.abort();
      window.removeEventListener("dragover", over);
      window.removeEventListener("drop", drop);
    };
  }, [warn]);
}
