import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import styled from "styled-components";
import { api, said, type KindInfo, type SettingInfo, type StripCell, type SweptSetting, type View } from "../../api/client";
import { Button } from "../../ui/Button";
import { PictureChoice } from "../../ui/PictureChoice";
import { Select } from "../../ui/Select";
import { tone } from "../../ui/theme";
import { Drawn } from "../picture/Drawn";
import { toPlate } from "../picture/view";
import { useBench, useNow } from "../store/bench";
import { placesOf, type Spot } from "../store/places";
import { atFrame, lightNow, paneNow, placementNow } from "../store/selectors";
import type { State, Strip } from "../store/state";
import { notation } from "../column/units";

const Frame = styled.section<{ $low: boolean }>`
  grid-area: ${(p) => (p.$low ? "desk" : "2 / 1 / -1 / -1")};
  z-index: 40;
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  background: ${tone.base};
  outline: none;
  overflow: hidden;
  header {
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 6px 14px;
    h2 {
      font-size: 14px;
      color: ${tone.strong};
    }
    p {
      color: ${tone.faint};
      flex: 1;
    }
  }
`;

const Cells = styled.div<{ $columns: number }>`
  display: grid;
  grid-template-columns: ${(p) => `repeat(${p.$columns}, minmax(380px, 1fr))`};
  gap: 4px 8px;
  align-content: start;
  padding: 0 14px 10px;
  overflow: auto;
`;

const COLUMNS = 3;
const ROWS = 3;
const GAPS = 60; // CSS pixels a row that are no picture
const NARROWER = 0.5;
const NARROWEST = 0.1;
const NONE = "none";
const AROUND = 0.36; // of the plate, that is seen round what matters

function hasRange(setting: SettingInfo): boolean {
  return setting.swept === "range";
}

/** The part of the plate that matters: round the light's place where that is in the frame, else all of it; at a size. */
function viewOf(s: State, kind: KindInfo, chosen: [Spot, Spot] | null, cell: { width: number; height: number }): View {
  const { plate } = s;
  const light = lightNow(s);
  const at = light && placesOf(light, kind).positions[0]?.at;
  const inside = at && at.every((v) => v > 0 && v < 1);
  let [x0, y0, x1, y1] = [0, 0, 1, 1];
  if (chosen) [x0, y0, x1, y1] = [chosen[0][0], chosen[0][1], chosen[1][0], chosen[1][1]];
  else if (inside) [x0, y0, x1, y1] = [at[0] - AROUND, at[1] - AROUND, at[0] + AROUND, at[1] + AROUND];
  // Grown to the shape of a cell, and moved into the plate.
  let across = (x1 - x0) * plate.width;
  let down = (y1 - y0) * plate.height;
  const shape = cell.width / cell.height;
  if (across / down < shape) across = Math.min(plate.width, down * shape);
  else down = Math.min(plate.height, across / shape);
  const left = Math.min(Math.max(((x0 + x1) / 2) * plate.width - across / 2, 0), plate.width - across);
  const top = Math.min(Math.max(((y0 + y1) / 2) * plate.height - down / 2, 0), plate.height - down);
  const scale = Math.min(1, Math.min(cell.width / across, cell.height / down) * window.devicePixelRatio);
  const width = Math.max(1, Math.round(plate.width * scale));
  const height = Math.max(1, Math.round(plate.height * scale));
  const begin = { x: Math.min(width - 1, Math.floor(left * scale)), y: Math.min(height - 1, Math.floor(top * scale)) };
  return {
    width,
    height,
    x0: begin.x,
    y0: begin.y,
    x1: Math.max(begin.x + 1, Math.min(width, Math.round((left + across) * scale))),
    y1: Math.max(begin.y + 1, Math.min(height, Math.round((top + down) * scale))),
  };
}

function textOf(kind: KindInfo, cell: StripCell): string {
  return cell.values
    .map(({ stage, setting, value }) => {
      const info = kind.groups.find((g) => g.name === stage)?.settings.find((s) => s.name === setting);
      if (info?.type === "choice") return info.options.find((o) => o.value === value)?.text ?? String(value);
      if (typeof value === "string" || !info || !("unit" in info)) return String(value);
      const how = notation(info);
      return cell.values.length > 1 ? `${info.label} ${how.shown(value)}` : `${how.shown(value)} ${how.unit}`;
    })
    .join(", ");
}

/** The same picture with one setting stepped through its range, large enough to judge; picking is one step that can be
 * undone. The arrow keys go through it, Space puts one on the bench full size, Enter picks it. */
export function TestStrip({ strip }: { strip: Strip }) {
  const bench = useBench();
  const { store, now, kindOf, lights } = bench;
  const rig = useNow((s) => s.rig);
  const light = useNow(lightNow);
  const kind = kindOf(light);
  const [span, setSpan] = useState(1);
  const [second, setSecond] = useState(NONE);
  const [made, setMade] = useState<{ cells: StripCell[]; columns: number } | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const [at, setAt] = useState<number | null>(null);
  const [box, setBox] = useState<[Spot, Spot] | null>(null);
  const [boxing, setBoxing] = useState(false);
  const frame = useRef<HTMLElement>(null);
  const low = strip.tried !== null || boxing;
  const close = () => store.setState({ strip: null });
  const tryOut = (cell: StripCell | undefined) =>
    store.setState((s) => ({ strip: s.strip && { ...s.strip, tried: cell?.values ?? null } }));

  const first = strip.stage as SweptSetting["stage"];
  const settingOf = strip.setting.name;
  const others = (kind?.groups ?? []).flatMap((group) =>
    group.settings
      .filter((s) => hasRange(s) && s !== strip.setting)
      .map((setting) => ({ stage: group.name as SweptSetting["stage"], setting })),
  );
  const other = others.find((o) => `${o.stage}.${o.setting.name}` === second);
  const otherStage = other?.stage;
  const otherSetting = other?.setting.name;
  const lightId = light?.id;

  useEffect(() => {
    frame.current?.focus();
  }, [low]);
  useEffect(() => {
    if (!lightId || !kind) return;
    const leaving = new AbortController();
    const settings: SweptSetting[] = [{ stage: first, setting: settingOf }];
    if (otherStage && otherSetting) settings.push({ stage: otherStage, setting: otherSetting });
    const s = now();
    const room = { x: window.innerWidth - 60, y: window.innerHeight - 100 };
    const cell = { width: Math.max(380, room.x / COLUMNS), height: Math.max(160, room.y / ROWS - GAPS) };
    api
      .POST("/api/plates/{plate_id}/strip", {
        params: atFrame(s),
        body: { rig, light: lightId, settings, span, view: viewOf(s, kind, box, cell) },
        signal: leaving.signal,
      })
      .then(
        ({ data, error }) => {
          if (data) {
            setMade(data);
            setAt(
              Math.max(
                0,
                data.cells.findIndex((one) => one.present),
              ),
            );
          } else setWrong(said(error));
        },
        () => !leaving.signal.aborted && setWrong("The service does not answer; try again."),
      );
    return () => leaving.abort();
    // A pick changes the rig, and the strip is made again round it.
  }, [now, kind, rig, lightId, span, first, settingOf, otherStage, otherSetting, box]);

  if (!light || !kind) return null;
  const cells = made?.cells ?? [];
  const columns = made && other ? made.columns : COLUMNS;
  const pick = (cell: StripCell | undefined) => {
    if (!cell) return;
    tryOut(undefined);
    if (!cell.present) lights.pick(light.id, strip.setting.label, cell.values);
    // A range goes on round what was picked; one of several words is picked once.
    if (hasRange(strip.setting)) setSpan(Math.max(NARROWEST, span * NARROWER));
    else close();
  };
  const key = (event: KeyboardEvent) => {
    const steps: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: low ? 1 : columns, ArrowUp: low ? -1 : -columns };
    const step = steps[event.key];
    const here = at ?? 0;
    if (event.target instanceof Element && event.target.closest("[role=listbox]")) return;
    if (step !== undefined) {
      const next = Math.min(cells.length - 1, Math.max(0, here + step));
      setAt(next);
      if (strip.tried) tryOut(cells[next]);
    } else if (event.key === " ") tryOut(strip.tried ? undefined : cells[here]);
    else if (event.key === "Enter") {
      pick(cells[here]);
      close();
    } else if (event.key === "Escape") {
      if (boxing) setBoxing(false);
      else if (strip.tried) tryOut(undefined);
      else close();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const present = cells[at ?? -1];
  return (
    <Frame ref={frame} $low={low} tabIndex={-1} aria-label={`Test strip of ${strip.setting.label}`} onKeyDownCapture={key}>
      <header>
        <h2>
          {light.name}: {strip.setting.label}
        </h2>
        <p>
          {boxing
            ? "Draw a box round the part that matters"
            : strip.tried && present
              ? `On the bench: ${textOf(kind, present)}. Arrows go on, Enter takes it, Space goes back`
              : "Arrows go through it, Space shows one full size, Enter takes it"}
        </p>
        {hasRange(strip.setting) && !low && (
          <>
            <Select
              label="Second setting"
              hideLabel
              value={second}
              options={[
                { value: NONE, text: "One setting" },
                ...others.map((o) => ({ value: `${o.stage}.${o.setting.name}`, text: `With ${o.setting.label}` })),
              ]}
              onChange={setSecond}
            />
            <Button isDisabled={span === 1} onPress={() => setSpan(1)}>
              Whole range
            </Button>
          </>
        )}
        {!low && <Button onPress={() => setBoxing(true)}>Another part…</Button>}
        <Button weight="strong" onPress={close}>
          Done
        </Button>
      </header>
      {wrong && <p role="alert">{wrong}</p>}
      {!made && !wrong && <p role="status">Rendering the strip…</p>}
      {made && !low && (
        <Cells $columns={columns} role="group" aria-label="Test strip">
          {cells.map((cell, index) => (
            <PictureChoice
              key={index}
              title={textOf(kind, cell)}
              picture={cell.picture}
              present={cell.present}
              current={index === at}
              onPick={() => pick(cell)}
            />
          ))}
        </Cells>
      )}
      {boxing && (
        <Boxing
          onDone={(from, to) => {
            setBox([from, to]);
            setBoxing(false);
          }}
        />
      )}
    </Frame>
  );
}

const Over = styled.div`
  position: fixed;
  left: 0;
  top: 40px;
`;

/** A box on the picture, in plate fractions. */
function Boxing({ onDone }: { onDone: (from: Spot, to: Spot) => void }) {
  const { now } = useBench();
  return (
    <Over>
      <Drawn
        box
        label="Draw a box round the part that matters"
        onDone={(a, b) => {
          const s = now();
          const placement = placementNow(s);
          if (!placement || paneNow(s).x === 0) return;
          const [ax, ay] = toPlate(placement, s.plate, a);
          const [bx, by] = toPlate(placement, s.plate, b);
          onDone([Math.min(ax, bx), Math.min(ay, by)], [Math.max(ax, bx), Math.max(ay, by)]);
        }}
      />
    </Over>
  );
}
