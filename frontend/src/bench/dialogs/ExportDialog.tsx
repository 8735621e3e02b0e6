import { useState } from "react";
import styled from "styled-components";
import { api, said, whyOf, type AnyExport, type ReelExport, type RunRequest } from "../../api/client";
import { go } from "../../route";
import { Select } from "../../ui/Select";
import { ReelFields } from "./ReelFields";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { Progress } from "../../ui/Progress";
import { TextField } from "../../ui/TextField";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { isGoing } from "../store/exports";
import { useFileSize } from "./useFileSize";
import { usePixelSize } from "./usePixelSize";
import { useReelNotes } from "./useReelNotes";
import { ExportFields } from "./ExportFields";
import { keepExport, rememberedExport, wasExported } from "../store/exporting";
import { Note, Wrong } from "../../ui/words";

const Size = styled.p`
  align-self: end;
  min-height: 28px;
  line-height: 28px;
  color: ${tone.faint};
`;

type What = "frame" | "reel" | "stills";
const WAYS: { value: What; text: string }[] = [
  { value: "reel", text: "The reel, as one file" },
  { value: "stills", text: "The reel, as numbered stills" },
  { value: "frame", text: "This frame, as a picture" },
];

function megabytes(bytes: number): string {
  return `${(bytes / 1e6).toFixed(1)} MB`;
}

function timeLeft(seconds: number): string {
  return seconds < 60 ? `${Math.max(1, Math.round(seconds))} s left` : `${Math.round(seconds / 60)} min left`;
}

/** Format, depth, size and profile; then progress, and the file. Each plate begins at its full size. */
export function ExportDialog({ onClose }: { onClose: () => void }) {
  const { catalogue, now, frames, exports } = useBench();
  const info = catalogue.export;
  const { plate, rig, frame, span } = now();
  const [what, setWhat] = useState<What>(plate.frames > 1 ? "reel" : "frame");
  const [tried, setTried] = useState<{ of: string; bytes: number } | null>(null);
  const [trying, setTrying] = useState(false);
  const [moving, setMoving] = useState(info.first_reel);
  const [again] = useState(wasExported);
  const [choice, setChoice] = useState(() => rememberedExport(info));
  const [edge, setEdge] = useState("");
  const job = useNow((s) => s.exported);
  const failed = useNow((s) => s.exportWrong);
  const [refused, setWrong] = useState<string | null>(null);
  const wrong = refused ?? failed;
  const busy = isGoing(job);

  const longEdge = edge.trim() === "" ? null : Number(edge);
  const { full, pixels, wrong: edgeWrong } = usePixelSize(plate.id, frame, rig, longEdge);
  const size = pixels ? `${pixels.width} × ${pixels.height}` : "";

  const options: AnyExport = { ...choice, long_edge: longEdge };
  const about = useFileSize(plate.id, frame, rig, edgeWrong || what === "reel" ? null : options);
  const count = span[1] - span[0];

  const [first, last] = span;
  const reel: ReelExport = { ...moving, long_edge: longEdge, first, last };
  const asked = JSON.stringify(reel);
  const notes = useReelNotes(plate.id, rig, edgeWrong || what !== "reel" ? null : reel);
  const startRun = async () => {
    setWrong(null);
    const made = what === "reel" ? { reel } : { export: options, frames: span };
    const body: RunRequest = { plates: [plate.id], placing: "rig", cluster: "", ...made };
    const { error } = await api.POST("/api/runs", { body });
    if (error) {
      setWrong(said(error));
      return;
    }
    if (what === "stills") keepExport(choice);
    onClose();
    go("/runs");
  };

  const tryOut = async () => {
    setTrying(true);
    const bytes = await frames.trySize(reel);
    setTrying(false);
    if (bytes !== null) setTried({ of: asked, bytes });
  };
  const begin = () => {
    if (what === "frame") void exports.begin(rig, options);
    else startRun().catch((error: unknown) => setWrong(whyOf(error)));
  };
  const close = () => {
    exports.forget();
    onClose();
  };

  const sizes = (
    <>
      <TextField
        label="Long edge in pixels"
        placeholder={full ? `${full.full_edge} (full size)` : ""}
        inputMode="numeric"
        value={edge}
        onChange={setEdge}
      />
      <Size aria-label="Size of the picture">
        {size}
        {about !== null && `, about ${megabytes(about)}`}
      </Size>
    </>
  );
  return (
    <Dialog title={`Export ${plate.name}`} open onClose={close}>
      {plate.frames > 1 && <Select label="What" value={what} options={WAYS} onChange={(next) => setWhat(next as What)} />}
      {plate.frames > 1 && what !== "frame" && (
        <Note>
          {count === plate.frames ? `All ${count} frames` : `${count} frames, from ${span[0]} to ${span[1] - 1}`}, made in the background:
          you will find them among the runs.
        </Note>
      )}
      {again && what !== "reel" && <Note>Format, depth and settings are those of the last export; the size is this picture's own.</Note>}
      {what === "reel" ? (
        <ReelFields info={info} plate={plate} choice={moving} onChoice={setMoving}>
          {sizes}
          <Button isDisabled={trying || edgeWrong} hint="Writes a second of the middle, to tell" onPress={() => void tryOut()}>
            {trying ? "Trying a second…" : tried?.of === asked ? `About ${megabytes(tried.bytes)}` : "How large will it be?"}
          </Button>
        </ReelFields>
      ) : (
        <ExportFields info={info} plate={plate} choice={choice} onChoice={setChoice}>
          {sizes}
        </ExportFields>
      )}
      {notes.map((note) => (
        <Note key={note} role="note">
          {note}.
        </Note>
      ))}
      {pixels && pixels.enlarged > 1 && (
        <Note role="note">Enlarged {pixels.enlarged.toFixed(1)} times: larger than the picture itself, so no detail is added.</Note>
      )}
      {edgeWrong && <Wrong role="alert">The long edge is a whole number from 1 {full ? `to ${String(full.largest_edge)}` : "on"}.</Wrong>}
      {wrong && <Wrong role="alert">{wrong}</Wrong>}
      {job && busy && <Progress label={size} share={job.share} note={job.seconds_left === null ? undefined : timeLeft(job.seconds_left)} />}
      {job?.state === "done" && (
        <p role="status">
          {job.file_name} is ready, {megabytes(job.size)}.
        </p>
      )}
      <footer>
        {busy && <Note>Close this and go on working: the file comes when it is made.</Note>}
        {busy && <Button onPress={exports.cancel}>Cancel</Button>}
        <Button weight="strong" isPending={busy} isDisabled={edgeWrong} onPress={begin}>
          Export
        </Button>
      </footer>
    </Dialog>
  );
}
