import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { api, follow, said, whyOf, type AnyExport, type Job, type ReelExport, type RunRequest } from "../../api/client";
import { go } from "../../route";
import { Select } from "../../ui/Select";
import { ReelFields } from "./ReelFields";
import { atFrame } from "../store/selectors";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { Progress } from "../../ui/Progress";
import { TextField } from "../../ui/TextField";
import { tone } from "../../ui/theme";
import { useBench } from "../store/bench";
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
  const { catalogue, now, frames } = useBench();
  const info = catalogue.export;
  const { plate, rig, frame, span } = now();
  const [what, setWhat] = useState<What>(plate.frames > 1 ? "reel" : "frame");
  const [tried, setTried] = useState<{ of: string; bytes: number } | null>(null);
  const [trying, setTrying] = useState(false);
  const [moving, setMoving] = useState(info.first_reel);
  const [again] = useState(wasExported);
  const [choice, setChoice] = useState(() => rememberedExport(info));
  const [edge, setEdge] = useState("");
  const [job, setJob] = useState<Job | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const leaving = useRef<AbortController | null>(null);
  const busy = job?.state === "waiting" || job?.state === "working";
  useEffect(() => () => leaving.current?.abort(), []);

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
  const start = async () => {
    setWrong(null);
    const { data, error } = await api.POST("/api/plates/{plate_id}/exports", {
      params: atFrame(now()),
      body: { rig, export: options },
    });
    if (!data) {
      setWrong(said(error));
      return;
    }
    // What was refused is not what is wanted the next time.
    keepExport(choice);
    const mine = new AbortController();
    leaving.current = mine;
    let made: Job = data;
    setJob(made);
    await follow(data, (news) => setJob((made = news.job)), mine.signal);
    if (!made.file_name) return;
    const link = document.createElement("a");
    link.href = `/api/jobs/${made.id}/file`;
    link.download = made.file_name;
    link.click();
  };
  const begin = () => {
    (what === "frame" ? start() : startRun()).catch((error: unknown) => {
      setJob(null);
      if (!leaving.current?.signal.aborted) setWrong(whyOf(error));
    });
  };
  const cancel = () => {
    leaving.current?.abort();
    setJob(null);
  };
  const close = () => {
    cancel();
    setWrong(null);
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
        <Button onPress={busy ? cancel : close}>{busy ? "Cancel" : "Close"}</Button>
        <Button weight="strong" isDisabled={busy || edgeWrong} onPress={begin}>
          Export
        </Button>
      </footer>
    </Dialog>
  );
}
