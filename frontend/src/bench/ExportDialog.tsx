import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { call, said, type ExportJob, type ExportRequest, type FormatInfo, type Plate, type Rig } from "../api/client";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { Progress } from "../ui/Progress";
import { Select } from "../ui/Select";
import { Slider } from "../ui/Slider";
import { TextField } from "../ui/TextField";
import { tone } from "../ui/theme";

const Pair = styled.div`
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
`;

const Quality = styled.div`
  display: grid;
  gap: 4px;
  span { color: ${tone.faint}; }
`;

const Wrong = styled.p`
  color: ${tone.danger};
  user-select: text;
`;

interface Choice {
  format: string;
  depth: string;
  quality: number;
  profile: NonNullable<ExportRequest["profile"]>;
}

const REMEMBERED = "aurelon.export";
const WATCH = 250;
const depthNames: Record<string, string> = { "8": "8 bits", "16": "16 bits", float: "Float" };

function lastChoice(formats: FormatInfo[]): Choice {
  const fallback: Choice = { format: formats[0]?.name ?? "", depth: formats[0]?.depths[0] ?? "", quality: 92, profile: "keep" };
  try {
    const kept = JSON.parse(window.localStorage.getItem(REMEMBERED) ?? "null") as Choice | null;
    const format = formats.find((f) => f.name === kept?.format);
    return kept && format?.depths.includes(kept.depth) ? kept : fallback;
  } catch {
    return fallback;
  }
}

function timeLeft(seconds: number): string {
  return seconds < 60 ? `${Math.max(1, Math.round(seconds))} s left` : `${Math.round(seconds / 60)} min left`;
}

interface Props {
  plate: Plate;
  rig: Rig;
  formats: FormatInfo[];
  open: boolean;
  onClose: () => void;
}

/** Format, depth, quality, size and profile; then progress, and the file. */
export function ExportDialog({ plate, rig, formats, open, onClose }: Props) {
  const [choice, setChoice] = useState(() => lastChoice(formats));
  const [edge, setEdge] = useState("");
  const [job, setJob] = useState<ExportJob | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const fetched = useRef<string | null>(null);
  const format = formats.find((f) => f.name === choice.format) ?? formats[0];
  const busy = job?.state === "waiting" || job?.state === "working";

  useEffect(() => {
    if (!job || !busy) return;
    const timer = window.setTimeout(() => {
      call("get", "/api/exports/{job_id}", { path: { job_id: job.id } }).then(
        ({ data, error }) => {
          if (data) setJob(data);
          else {
            setJob(null);
            setWrong(said(error));
          }
        },
        () => {
          setJob(null);
          setWrong("The service does not answer; the export was lost. Start it again.");
        },
      );
    }, WATCH);
    return () => window.clearTimeout(timer);
  }, [job, busy]);

  useEffect(() => {
    if (job?.state === "failed") setWrong(job.error ?? "The export failed.");
    if (job?.state !== "done" || fetched.current === job.id) return;
    fetched.current = job.id;
    const link = document.createElement("a");
    link.href = `/api/exports/${job.id}/file`;
    link.download = job.file_name;
    link.click();
  }, [job]);

  const long = Math.max(plate.width, plate.height);
  const wanted = edge.trim() === "" ? long : Number(edge);
  const edgeWrong = !Number.isInteger(wanted) || wanted < 1 || wanted > long;
  const scale = edgeWrong ? 1 : wanted / long;
  const size = { width: Math.max(1, Math.round(plate.width * scale)), height: Math.max(1, Math.round(plate.height * scale)) };

  const start = async () => {
    setWrong(null);
    window.localStorage.setItem(REMEMBERED, JSON.stringify(choice));
    const { data, error } = await call("post", "/api/plates/{plate_id}/exports", {
      path: { plate_id: plate.id },
      body: { rig, ...choice, ...(scale < 1 ? size : {}) },
    });
    if (data) setJob(data);
    else setWrong(said(error));
  };

  const cancel = async () => {
    if (!job) return;
    await call("delete", "/api/exports/{job_id}", { path: { job_id: job.id } });
    setJob(null);
  };

  const close = () => {
    if (busy) void cancel();
    setJob(null);
    setWrong(null);
    onClose();
  };

  return (
    <Dialog title={`Export ${plate.name}`} open={open} onClose={close}>
      <Pair>
        <Select
          label="Format"
          value={choice.format}
          options={formats.map((f) => ({ value: f.name, text: f.title }))}
          onChange={(name) => {
            const next = formats.find((f) => f.name === name);
            if (next) setChoice({ ...choice, format: name, depth: next.depths.includes(choice.depth) ? choice.depth : (next.depths[0] ?? "") });
          }}
        />
        <Select label="Depth" value={choice.depth} options={(format?.depths ?? []).map((d) => ({ value: d, text: depthNames[d] ?? d }))} onChange={(depth) => setChoice({ ...choice, depth })} />
        <TextField label="Long edge in pixels" placeholder={`${long} (full size)`} inputMode="numeric" value={edge} onChange={setEdge} />
        <Select
          label="Colour profile"
          value={choice.profile}
          options={[
            { value: "keep", text: "The plate's own" },
            { value: "srgb", text: "sRGB" },
            { value: "display-p3", text: "Display P3" },
          ]}
          onChange={(profile) => setChoice({ ...choice, profile: profile as Choice["profile"] })}
        />
      </Pair>
      {format?.has_quality && (
        <Quality>
          <span>Quality {choice.quality}</span>
          <Slider label="Quality" value={choice.quality} low={1} high={100} step={1} onChange={(quality) => setChoice({ ...choice, quality })} onRest={() => undefined} />
        </Quality>
      )}
      {edgeWrong && <Wrong role="alert">The long edge is a whole number from 1 to {long}.</Wrong>}
      {wrong && <Wrong role="alert">{wrong}</Wrong>}
      {job && busy && <Progress label={`${size.width} × ${size.height}`} share={job.share} note={job.seconds_left === null ? undefined : timeLeft(job.seconds_left)} />}
      {job?.state === "done" && (
        <p role="status">
          {job.file_name} is ready, {(job.size / 1e6).toFixed(1)} MB.
        </p>
      )}
      <footer>
        <Button onPress={busy ? () => void cancel() : close}>{busy ? "Cancel" : "Close"}</Button>
        <Button weight="strong" isDisabled={busy || edgeWrong} onPress={() => void start()}>
          Export
        </Button>
      </footer>
    </Dialog>
  );
}
