import type { RunState } from "../api/client";

interface Picker {
  showDirectoryPicker?: (options: { mode: "readwrite" }) => Promise<FileSystemDirectoryHandle>;
}

/** Whether this browser can write to a folder of the artist's. */
export function canSaveToFolder(): boolean {
  return typeof (window as Picker).showDirectoryPicker === "function";
}

export function fileOf(run: number, item: number): string {
  return `/api/runs/${run}/items/${item}/file`;
}

/** Writes every file that a run has made to a folder that the artist chooses; how many there were. Rejects with AbortError when none
 * is chosen. */
export async function saveToFolder({ run }: RunState): Promise<number> {
  const folder = await (window as Picker).showDirectoryPicker?.({ mode: "readwrite" });
  const made = run.items.filter((item) => item.file_name !== "");
  for (const item of folder ? made : []) {
    const answer = await fetch(fileOf(run.id, item.id));
    if (!answer.ok || !answer.body) throw new Error(`${item.file_name} could not be fetched; try again.`);
    const file = await folder?.getFileHandle(item.file_name, { create: true });
    const out = await file?.createWritable();
    if (out) await answer.body.pipeTo(out);
  }
  return made.length;
}
