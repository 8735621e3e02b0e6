import { useState } from "react";
import styled from "styled-components";
import { api, follow, said, type Plate, type PictureExport } from "../api/client";
import { rememberedExport } from "../bench/store/exporting";
import { Button } from "../ui/Button";
import { useNotices } from "../ui/Notices";
import { Progress } from "../ui/Progress";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";
import { tone } from "../ui/theme";
import type { ExportInfo } from "../api/client";

const Bar = styled.div`
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 6px 24px;
  background: ${tone.raised};
  b {
    color: ${tone.strong};
    font-weight: 600;
    flex: 1;
  }
`;

interface Props {
  plates: Plate[];
  selected: Plate[];
  info: ExportInfo;
  onRename: (name: string) => void;
  onDelete: () => void;
  /** Something of a plate has changed. */
  onChanged: () => void;
  onDone: () => void;
}

const NONE = "none";

/** What can be done with several plates at once. */
export function SelectedBar({ plates, selected, info, onRename, onDelete, onChanged, onDone }: Props) {
  const { say, warn } = useNotices();
  const [name, setName] = useState<string | null>(null);
  const [done, setDone] = useState<{ of: string; share: number; stop: AbortController } | null>(null);
  const count = selected.length === 1 ? "1 plate" : `${selected.length} plates`;

  /** Gives the plates that are ticked the rig of another. */
  const copyRig = async (from: Plate) => {
    const { data, error } = await api.GET("/api/plates/{plate_id}/bench", { params: { path: { plate_id: from.id } } });
    if (!data) {
      warn(said(error));
      return;
    }
    for (const plate of selected.filter((one) => one.id !== from.id)) {
      const params = { path: { plate_id: plate.id } };
      const body = { base: plate.revision, label: `Rig of ${from.name}`, rig: data.rig, lead: null };
      const answer = await api.POST("/api/plates/{plate_id}/revisions", { params, body });
      if (answer.error) warn(`${plate.name}: ${said(answer.error)}`);
    }
    say(`The rig of ${from.name} is on ${count}; each can be undone on its bench.`);
    onChanged();
  };

  const exportAll = async () => {
    const stop = new AbortController();
    const options = rememberedExport(info) as unknown as PictureExport;
    for (const [k, plate] of selected.entries()) {
      setDone({ of: plate.name, share: k / selected.length, stop });
      const params = { path: { plate_id: plate.id } };
      const opened = await api.GET("/api/plates/{plate_id}/bench", { params });
      if (!opened.data) {
        warn(`${plate.name}: ${said(opened.error)}`);
        continue;
      }
      const body = { rig: opened.data.rig, export: { ...options, target: "picture" as const, long_edge: null } };
      const { data, error } = await api.POST("/api/plates/{plate_id}/exports", { params, body });
      if (!data) {
        warn(`${plate.name}: ${said(error)}`);
        continue;
      }
      let last = data;
      await follow(data, (news) => setDone({ of: plate.name, share: (k + (last = news.job).share) / selected.length, stop }), stop.signal);
      if (!last.file_name) continue;
      const link = document.createElement("a");
      link.href = `/api/jobs/${last.id}/file`;
      link.download = last.file_name;
      link.click();
    }
    say(`${count} exported, as the last export was.`);
  };
  const begin = () => {
    exportAll()
      .catch((error: unknown) => {
        if (!(error instanceof DOMException)) warn(error instanceof Error ? error.message : String(error));
      })
      .finally(() => setDone(null));
  };

  return (
    <Bar role="toolbar" aria-label="Ticked plates">
      <b>{count} ticked</b>
      {done ? (
        <>
          <Progress label={`Exporting ${done.of}`} share={done.share} />
          <Button onPress={() => done.stop.abort()}>Cancel</Button>
        </>
      ) : name === null ? (
        <>
          <Select
            label="Copy the rig of another plate"
            hideLabel
            value={NONE}
            options={[{ value: NONE, text: "Copy the rig of…" }, ...plates.map((plate) => ({ value: String(plate.id), text: plate.name }))]}
            onChange={(id) => {
              const from = plates.find((plate) => String(plate.id) === id);
              if (from) copyRig(from).catch(() => warn("The rig was not copied: the service does not answer."));
            }}
          />
          <Button onPress={() => setName("")}>Rename…</Button>
          <Button onPress={begin}>Export</Button>
          <Button onPress={onDelete}>Delete</Button>
          <Button weight="bare" onPress={onDone}>
            Untick all
          </Button>
        </>
      ) : (
        <TextField
          label="Name for all; they are numbered"
          hideLabel
          autoFocus
          placeholder="Name for all; they are numbered"
          value={name}
          onChange={setName}
          onDone={(kept) => {
            if (kept && name.trim()) onRename(name.trim());
            setName(null);
          }}
        />
      )}
    </Bar>
  );
}
