import { useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import type { GroupInfo, KindInfo, Stage } from "../../api/client";
import { Button } from "../../ui/Button";
import { Icon } from "../../ui/Icon";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { remember, rememberedNames } from "../store/remembered";
import { lightOf, stages, type Place } from "../store/rig";
import { Behind } from "./Behind";
import { Numbers } from "./Numbers";
import { LiveGroup } from "./settings/LiveGroup";
import { heading, scrolling } from "./Section";
import { StagePicture } from "./StagePicture";
import { stageBodies } from "./stages/bodies";
import { useStageTools } from "./stages/useStageTools";

const Column = styled.div`
  --thread: ${tone.faint};
  ${scrolling}
  > header {
    display: grid;
    gap: 2px;
    margin-bottom: 10px;
  }
  > header h2 {
    overflow-wrap: anywhere;
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
    content: "◆" / "";
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
  const settings = <LiveGroup place={place} group={group} name={`${kind.name}.${stage}`} tools={tools} />;
  const Body = stageBodies[stage];
  return (
    <Step $last={last} aria-label={group.label} data-stage={stage}>
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
      {open && <Body id={id} kind={kind} group={group} tools={tools} settings={settings} />}
    </Step>
  );
}
