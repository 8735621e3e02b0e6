import { startTransition, useCallback, useEffect, useState } from "react";
import { DropZone, FileTrigger, type DropItem } from "react-aria-components";
import styled from "styled-components";
import { api, said, sendPlate, sendStills, whyOf, type BroughtIn, type Catalogue, type Plate } from "../api/client";
import { go } from "../route";
import { RunDialog } from "../runs/RunDialog";
import { Button } from "../ui/Button";
import { LayerDialog } from "../ui/LayerDialog";
import { Message } from "../ui/Message";
import { PageBar } from "../ui/PageBar";
import { Errors, useNotices } from "../ui/Notices";
import { Progress } from "../ui/Progress";
import { Select } from "../ui/Select";
import { TextField } from "../ui/TextField";
import { tone } from "../ui/theme";
import { BlankDialog } from "./BlankDialog";
import { FirstScreen } from "./FirstScreen";
import { PlateCard } from "./PlateCard";
import { PlateGrid } from "./PlateGrid";
import { SelectedBar } from "./SelectedBar";
import { useSelected } from "./useSelected";

const Zone = styled(DropZone)`
  zoom: var(--scale);
  height: 100%;
  display: flex;
  flex-direction: column;
  outline: none;
  &[data-drop-target] {
    box-shadow: inset 0 0 0 3px ${tone.accent};
  }
`;

const Sending = styled.div`
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 12px;
  align-items: center;
  padding: 0 24px 12px;
`;

interface Transfer {
  id: number;
  name: string;
  share: number;
  stop: AbortController;
}

const LOOK_AGAIN = 1500; // ms
let transfers = 0;

type Order = "newest" | "name" | "lights";
const orders: { value: Order; text: string }[] = [
  { value: "newest", text: "Newest first" },
  { value: "name", text: "By name" },
  { value: "lights", text: "Most lights first" },
];

/** What was chosen stays on the way back from a bench, as long as the page is open. */
const chosen = new Map<string, string>();
function useKept<T extends string>(name: string, usual: T): [T, (value: T) => void] {
  const [value, setValue] = useState(() => (chosen.get(name) ?? usual) as T);
  const keep = (next: T) => {
    chosen.set(name, next);
    setValue(next);
  };
  return [value, keep];
}

/** The files that were dropped, and those in folders that were. */
async function filesOf(items: DropItem[]): Promise<File[]> {
  const found: File[] = [];
  for (const item of items) {
    if (item.kind === "file") found.push(await item.getFile());
    else if (item.kind === "directory")
      for await (const entry of item.getEntries()) if (entry.kind === "file") found.push(await entry.getFile());
  }
  return found;
}

/** All plates, with what brings new ones in. */
export function Home({ catalogue }: { catalogue: Catalogue }) {
  const { say, warn, tell } = useNotices();
  const [plates, setPlates] = useState<Plate[] | null>(null);
  const [layers, setLayers] = useState<{ plate: Plate; names: string[] } | null>(null);
  const [blank, setBlank] = useState(false);
  const [run, setRun] = useState<{ plates: number[]; files: boolean } | null>(null);
  const [sending, setSending] = useState<Transfer[]>([]);
  const [words, setWords] = useKept<string>("find-plates", "");
  const [order, setOrder] = useKept<Order>("order-plates", "newest");
  const found = (plates ?? []).filter((plate) => plate.name.toLowerCase().includes(words.trim().toLowerCase()));
  if (order === "name") found.sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));
  if (order === "lights") found.sort((a, b) => b.lights - a.lights);
  const ticked = useSelected(found);
  const [away, setAway] = useState(false);

  const load = useCallback(async () => {
    const { data, error } = await api.GET("/api/plates");
    if (data) startTransition(() => setPlates(data));
    else warn(said(error));
  }, [warn]);

  useEffect(() => {
    let timer = 0;
    // A list that could not be had comes as soon as the service is back.
    const look = () =>
      load().then(
        () => setAway(false),
        () => {
          setAway(true);
          timer = window.setTimeout(look, LOOK_AGAIN);
        },
      );
    void look();
    return () => window.clearTimeout(timer);
  }, [load]);

  useEffect(() => {
    catalogue.left_out.forEach((what) => warn(what));
  }, [catalogue.left_out, warn]);

  /** Sends something, with its progress and a way to stop it; what came of it, or null. */
  const sent = async (name: string, send: (onShare: (share: number) => void, signal: AbortSignal) => Promise<BroughtIn>) => {
    const transfer: Transfer = { id: ++transfers, name, share: 0, stop: new AbortController() };
    setSending((all) => [...all, transfer]);
    try {
      const plate = await send(
        (share) => setSending((all) => all.map((t) => (t.id === transfer.id ? { ...t, share } : t))),
        transfer.stop.signal,
      );
      setPlates((all) => [plate, ...(all ?? [])]);
      return plate;
    } catch (error) {
      if (error instanceof DOMException) say(`${name} was not brought in.`);
      else warn(whyOf(error));
      return null;
    } finally {
      setSending((all) => all.filter((t) => t.id !== transfer.id));
    }
  };

  const bringSingly = async (files: File[]) => {
    for (const file of files) {
      const plate = await sent(file.name, (onShare, signal) => sendPlate(file, onShare, signal));
      plate?.notices.forEach(tell);
      if (plate && files.length === 1) go(`/plates/${plate.id}`);
    }
  };

  /** Files as plates; numbered stills of one name become one reel, unless that is taken back. */
  const bring = async (files: File[]) => {
    const { data } = files.length > 1 ? await api.POST("/api/plates/sequence", { body: { names: files.map((f) => f.name) } }) : {};
    if (!data || data.names.length === 0) return bringSingly(files);
    const ordered = data.names.flatMap((name) => files.filter((file) => file.name === name));
    const plate = await sent(data.name, (onShare, signal) => sendStills(ordered, data.name, onShare, signal));
    if (!plate) return;
    const [first, ...rest] = plate.notices;
    rest.forEach(tell);
    say(first ?? "", {
      text: "Keep them single",
      act: () => {
        void api
          .DELETE("/api/plates/{plate_id}", { params: { path: { plate_id: plate.id } } })
          .then(() => setPlates((all) => (all ?? []).filter((p) => p.id !== plate.id)))
          .then(() => bringSingly(ordered));
      },
    });
  };

  const showLayers = async (plate: Plate) => {
    const { data, error } = await api.GET("/api/plates/{plate_id}/layers", { params: { path: { plate_id: plate.id } } });
    if (!data) warn(said(error));
    else if (data.layers.length === 0) say(`${plate.file_name} holds one picture only.`);
    else setLayers({ plate, names: data.layers });
  };

  const bringLayer = async (plate: Plate, layer: string) => {
    const params = { path: { plate_id: plate.id } };
    const { data, error } = await api.POST("/api/plates/{plate_id}/layers", { params, body: { layer } });
    if (data) {
      setPlates((all) => [data, ...(all ?? [])]);
      data.notices.forEach(tell);
    } else warn(said(error));
  };

  const remove = async (plate: Plate) => {
    const { error } = await api.DELETE("/api/plates/{plate_id}", { params: { path: { plate_id: plate.id } } });
    if (error) {
      warn(said(error));
      return;
    }
    setPlates((all) => (all ?? []).filter((p) => p.id !== plate.id));
    say(`${plate.name} was deleted.`, {
      text: "Undo",
      act: () => {
        void api
          .POST("/api/plates/{plate_id}/restore", { params: { path: { plate_id: plate.id } } })
          .then(({ error: refused }) => (refused ? warn(said(refused)) : load()));
      },
    });
  };

  const rename = async (plate: Plate, name: string) => {
    const { data, error } = await api.PATCH("/api/plates/{plate_id}", { params: { path: { plate_id: plate.id } }, body: { name } });
    if (data) setPlates((all) => (all ?? []).map((p) => (p.id === data.id ? data : p)));
    else warn(said(error));
  };

  const layered = catalogue.reads.filter((f) => f.layered).flatMap((f) => f.suffixes);
  const endings = catalogue.reads.flatMap((f) => f.suffixes);
  const names = catalogue.reads.map((f) => f.title).join(", ");
  return (
    <Zone
      aria-label="Plates; drop picture files here to bring them in"
      getDropOperation={() => "copy"}
      onDrop={(event) => {
        void filesOf(event.items).then(bring);
      }}
    >
      <PageBar>
        <h1>Aurelon</h1>
        <p>Plates</p>
        <Errors />
        <TextField label="Find a plate by its name" hideLabel placeholder="Find by name" value={words} onChange={setWords} />
        <Select label="Order" hideLabel value={order} options={orders} onChange={(value) => setOrder(value as Order)} />
        <Button onPress={() => go("/runs")}>Runs</Button>
        <Button onPress={() => setBlank(true)}>New blank plate…</Button>
        <FileTrigger acceptedFileTypes={endings} allowsMultiple onSelect={(list) => list && void bring([...list])}>
          <Button weight="strong">Bring in a picture…</Button>
        </FileTrigger>
      </PageBar>
      {sending.map((t) => (
        <Sending key={t.id}>
          <Progress label={`Bringing in ${t.name}`} share={t.share} note={t.share >= 1 ? "reading…" : undefined} />
          <Button onPress={() => t.stop.abort()}>Cancel</Button>
        </Sending>
      ))}
      {ticked.selected.length > 0 && (
        <SelectedBar
          selected={ticked.selected}
          onRun={(files) => setRun({ plates: ticked.selected.map((plate) => plate.id), files })}
          onRename={(name) => {
            ticked.selected.forEach((plate, k) => void rename(plate, ticked.selected.length === 1 ? name : `${name} ${k + 1}`));
            ticked.clear();
          }}
          onDelete={() => {
            ticked.selected.forEach((plate) => void remove(plate));
            ticked.clear();
          }}
          onDone={ticked.clear}
        />
      )}
      {away && plates === null ? (
        <Message title="The service does not answer">The plates appear as soon as it runs again.</Message>
      ) : plates?.length === 0 ? (
        <FirstScreen reads={names} onDemo={(plate) => go(`/plates/${plate}`)} />
      ) : (
        <PlateGrid plates={found}>
          {(plate) => (
            <PlateCard
              key={plate.id}
              plate={plate}
              ticked={ticked.has(plate)}
              onTick={() => ticked.turn(plate)}
              onOpen={() => go(`/plates/${plate.id}`)}
              onDelete={() => void remove(plate)}
              onRename={(name) => void rename(plate, name)}
              onLayers={layered.some((ending) => plate.file_name.toLowerCase().endsWith(ending)) ? () => void showLayers(plate) : null}
            />
          )}
        </PlateGrid>
      )}
      {layers && (
        <LayerDialog
          title={`Layers of ${layers.plate.file_name}`}
          note="Each that you choose becomes a plate of its own."
          layers={layers.names}
          onPick={(layer) => void bringLayer(layers.plate, layer)}
          onClose={() => setLayers(null)}
        />
      )}
      {run && <RunDialog info={catalogue.export} plates={run.plates} rig={null} files={run.files} onClose={() => setRun(null)} />}
      <BlankDialog
        group={catalogue.blank}
        first={catalogue.first_blank}
        open={blank}
        onMade={(plate) => go(`/plates/${plate.id}`)}
        onClose={() => setBlank(false)}
      />
    </Zone>
  );
}
