import { useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import type { GroupInfo, KindInfo, SettingInfo, SettingOf, Stage } from "../../api/client";
import { Button } from "../../ui/Button";
import { Icon } from "../../ui/Icon";
import { Select } from "../../ui/Select";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { HANDLES } from "../store/hand";
import { placesOf } from "../store/places";
import { remember, rememberedNames } from "../store/remembered";
import { lightOf, lightOwner, stages, type Place } from "../store/rig";
import { paneNow, placementNow } from "../store/selectors";
import { toPlate } from "../picture/view";
import { Behind } from "./Behind";
import { Levels } from "./Levels";
import { BrushSettings } from "./masks/BrushSettings";
import { MaskPanel } from "./masks/MaskPanel";
import { Numbers } from "./Numbers";
import { LiveGroup, type LiveTools } from "./settings/LiveGroup";
import { viewOf } from "./settings/registry";
import { heading } from "./Section";
import { StagePicture } from "./StagePicture";

const Column = styled.div`
  --thread: ${tone.faint};
  padding: 12px 12px 24px;
  overflow-y: auto;
  overflow-x: hidden;
  height: 100%;
  > header {
    display: grid;
    gap: 2px;
    margin-bottom: 10px;
  }
  > header h2 {
    font-size: 15px;
    color: ${tone.strong};
  }
  > header p {
    color: ${tone.faint};
  }
`;

const Step = styled.section<{ $last: boolean }>`
  position: relative;
  padding: 0 0 14px 14px;
  &::before {
    content: "";
    position: absolute;
    left: 2px;
    top: 8px;
    bottom: ${(p) => (p.$last ? "auto" : "-8px")};
    height: ${(p) => (p.$last ? "0" : "auto")};
    width: 2px;
    background: var(--thread);
  }
  &::after {
    content: "◆";
    position: absolute;
    left: -2px;
    top: 0;
    font-size: 10px;
    line-height: 16px;
    color: var(--thread);
  }
`;

const Head = styled.div`
  display: grid;
  grid-template-columns: 92px 1fr auto;
  gap: 10px;
  align-items: start;
  margin-bottom: 4px;
  ${heading}
  p {
    color: ${tone.faint};
    font-size: 12px;
    line-height: 1.25;
  }
  .tools {
    display: flex;
  }
`;

const Tools = styled.div`
  display: flex;
  gap: 6px;
  margin: 6px 0 2px;
`;

const FOLDED = "folded-stages";

/** The five stages of the selected light, each with its live picture, joined by a thread of its colour. */
export function LightColumn({ id }: { id: string }) {
  const { kindOf, store } = useBench();
  const kind = useNow((s) => kindOf(lightOf(s.rig, id)));
  const name = useNow((s) => lightOf(s.rig, id)?.name ?? "");
  const [folded, setFolded] = useState(() => rememberedNames(FOLDED));
  const column = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const tint = () => column.current?.style.setProperty("--thread", store.getState().thread ?? tone.faint);
    tint();
    return store.subscribe((s, before) => s.thread !== before.thread && tint());
  }, [store]);
  if (!kind) return null;
  const fold = (stage: Stage) => {
    const next = folded.includes(stage) ? folded.filter((s) => s !== stage) : [...folded, stage];
    setFolded(next);
    remember(FOLDED, next);
  };
  return (
    <Column ref={column} aria-label={`The path of ${name}`} role="region">
      <header>
        <h2>{name || kind.title}</h2>
        <p>{kind.summary}</p>
      </header>
      <Behind id={id} />
      {stages.map((stage, index) => {
        const group = kind.groups[index];
        return (
          group && (
            <StageStep
              key={stage}
              id={id}
              kind={kind}
              stage={stage}
              group={group}
              last={index === stages.length - 1}
              open={!folded.includes(stage)}
              onFold={() => fold(stage)}
            />
          )
        );
      })}
      <Numbers />
    </Column>
  );
}

interface StepProps {
  id: string;
  kind: KindInfo;
  stage: Stage;
  group: GroupInfo;
  last: boolean;
  open: boolean;
  onFold: () => void;
}

function StageStep({ id, kind, stage, group, last, open, onFold }: StepProps) {
  const { editing } = useBench();
  const tools = useStageTools(id, stage);
  const place = useMemo<Place>(() => ({ light: id, stage }), [id, stage]);
  return (
    <Step $last={last} aria-label={group.label}>
      <Head>
        <StagePicture stage={stage} label={group.label} />
        <div>
          <h3>{group.label}</h3>
          <p>{group.help}</p>
        </div>
        <div className="tools">
          <Button
            weight="bare"
            aria-label={`Reset ${group.label}`}
            hint={`Resets all of ${group.label}`}
            onPress={() => editing.reset(place, group.settings, group.label)}
          >
            Reset
          </Button>
          <Button weight="bare" aria-label={`${open ? "Fold" : "Unfold"} ${group.label}`} aria-expanded={open} onPress={onFold}>
            <Icon name={open ? "open" : "shut"} />
          </Button>
        </div>
      </Head>
      {open && stage === "source" && <LooksAt id={id} kind={kind} />}
      {open && stage === "source" && <LightBrush />}
      {open && stage === "mask" && <MaskPanel owner={lightOwner(id)} />}
      {open && stage !== "mask" && <LiveGroup place={place} group={group} name={`${kind.name}.${stage}`} tools={tools} />}
      {open && stage === "spread" && <Finding id={id} />}
      {open && stage === "colour" && <Colouring id={id} group={group} tools={tools} />}
    </Step>
  );
}

/** What settings of a stage do when they are touched. */
function useStageTools(id: string, stage: Stage): LiveTools {
  const { editing, viewing, strip, take, now } = useBench();
  return useMemo(() => {
    const named = () => lightOf(now().rig, id)?.name ?? id;
    /** The place in the middle of what is on the screen, where a new point is put. */
    const middle = () => {
      const s = now();
      const placement = placementNow(s);
      const pane = paneNow(s);
      return placement && toPlate(placement, s.plate, { x: pane.x / 2, y: pane.y / 2 });
    };
    return {
      onChange: (name, value) => editing.ofLight(id, stage, name, value),
      onRest: (label) => editing.rest(`${named()}: ${label}`),
      onReset: (setting) => editing.reset({ light: id, stage }, [setting], setting.label),
      onBringIntoView: (place) => viewing.see(place),
      onStrip: (setting) => strip(stage, setting),
      onAdd: (setting: SettingInfo) => {
        const edit = viewOf(setting)?.adding?.({ light: id, stage, setting: setting.name, middle: middle() });
        if (edit) editing.ask(edit);
      },
      onPaint: () => take(now().hand.tool.is === "light" ? HANDLES : { is: "light", drawn: null }),
    };
  }, [editing, viewing, strip, take, now, id, stage]);
}

function LooksAt({ id, kind }: { id: string; kind: KindInfo }) {
  const { lights } = useBench();
  const at = useNow((s) => lightOf(s.rig, id)?.look_at);
  if (kind.look_at.length === 0 || !at) return null;
  return (
    <Select label="Looks at" value={at} options={kind.look_at} onChange={(value) => lights.look(id, value as NonNullable<typeof at>)} />
  );
}

/** The brush, while light is being painted. */
function LightBrush() {
  const painting = useNow((s) => s.hand.tool.is === "light");
  return painting && <BrushSettings />;
}

/** For lights that come from a place. */
function Finding({ id }: { id: string }) {
  const { finder, kindOf } = useBench();
  const placed = useNow((s) => {
    const light = lightOf(s.rig, id);
    const kind = kindOf(light);
    if (!light || !kind) return false;
    const { positions, points } = placesOf(light, kind);
    return positions.length > 0 || points;
  });
  if (!placed) return null;
  return (
    <Tools>
      <Button hint="Marks where the light in the picture may come from" onPress={finder.find}>
        Find the light
      </Button>
    </Tools>
  );
}

/** The light's own histogram and its colour matched to the picture. */
function Colouring({ id, group, tools }: { id: string; group: GroupInfo; tools: LiveTools }) {
  const { lights, take } = useBench();
  const levels = useMemo(
    () => group.settings.filter((s): s is SettingOf<"number"> => s.type === "number" && s.handle === "levels"),
    [group],
  );
  return (
    <>
      <Levels id={id} settings={levels} tools={tools} />
      <Tools>
        <Button hint="Matches the light's temperature and tint to the picture at its source" onPress={() => lights.match(id, null)}>
          Match the picture
        </Button>
        <Button weight="bare" hint="Then click the picture where the colour should be matched" onPress={() => take({ is: "spot" })}>
          at a spot…
        </Button>
      </Tools>
    </>
  );
}
