import { useState } from "react";
import styled from "styled-components";
import { whyOf, type RunState } from "../api/client";
import { go } from "../route";
import { Button } from "../ui/Button";
import { Message } from "../ui/Message";
import { Errors, useNotices } from "../ui/Notices";
import { PageBar } from "../ui/PageBar";
import { Progress } from "../ui/Progress";
import { tone } from "../ui/theme";
import { Note, Wrong } from "../ui/words";
import { RunItem } from "./RunItem";
import { canSaveToFolder, saveToFolder } from "./saving";
import { isGoing, useRuns } from "./useRuns";

const Frame = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
`;

const List = styled.main`
  flex: 1;
  overflow: auto;
  display: grid;
  align-content: start;
  gap: 10px;
  padding: 10px 24px 40px;
`;

const Card = styled.section`
  display: grid;
  gap: 10px;
  padding: 12px 14px;
  border: 1px solid ${tone.line};
  border-radius: 5px;
  background: ${tone.panel};
  h2 {
    font-size: 14px;
    font-weight: 600;
    color: ${tone.strong};
  }
  header {
    display: flex;
    align-items: center;
    gap: 8px;
  }
  header > div {
    flex: 1;
    min-width: 0;
    display: grid;
    gap: 2px;
  }
`;

const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
  gap: 12px;
`;

function timeLeft(seconds: number): string {
  return seconds < 90 ? `about ${Math.max(1, Math.round(seconds))} s left` : `about ${Math.round(seconds / 60)} min left`;
}

/** How a run stands, in words. */
function standing({ run, done, failed, left, files, seconds_left: seconds }: RunState): string {
  const of = run.items.length;
  const parts = [`${done} of ${of} done`];
  if (failed > 0) parts.push(`${failed} failed`);
  if (run.state === "working" && seconds !== null) parts.push(timeLeft(seconds));
  if (run.state === "waiting") parts.push("waiting for its turn");
  if (run.state === "paused") parts.push("paused");
  if (run.state === "cancelled") parts.push("cancelled");
  if (run.cluster && left > 0) parts.push(`on the cluster ${run.cluster}`);
  if (files > 0 && left === 0) parts.push(files === 1 ? "1 file" : `${files} files`);
  return parts.join(" · ");
}

/** Long work: what is going, how far it is, and what it has made. `chosen` is shown with its pictures. */
export function Runs({ chosen }: { chosen: number | null }) {
  const { say, warn } = useNotices();
  const { runs, change, forget } = useRuns(warn);
  const shown = chosen ?? runs?.[0]?.run.id ?? null;
  return (
    <Frame>
      <PageBar>
        <Button onPress={() => go("/")}>Plates</Button>
        <h1>Runs</h1>
        <p>They go on when this page is closed, and after a restart.</p>
        <Errors />
      </PageBar>
      {runs?.length === 0 ? (
        <Message title="No runs yet">
          Tick several plates and lay a rig on all of them, or have their pictures made; the work and its results are shown here.
        </Message>
      ) : (
        <List aria-label="Runs">
          {runs?.map((state) => (
            <RunCard
              key={state.run.id}
              state={state}
              open={state.run.id === shown}
              onOpen={() => go(`/runs/${state.run.id}`)}
              onAct={(act) => change(state, act)}
              onForget={() => {
                forget(state);
                if (state.run.id === chosen) go("/runs");
              }}
              onSave={() => {
                saveToFolder(state).then(
                  (count) => say(count === 1 ? "1 file is in the folder." : `${count} files are in the folder.`),
                  (error: unknown) => {
                    if (!(error instanceof DOMException && error.name === "AbortError")) warn(whyOf(error));
                  },
                );
              }}
            />
          ))}
        </List>
      )}
    </Frame>
  );
}

/** The pieces of a file of moving pictures are no pictures of their own, unless one of them failed. */
function isShown(item: RunState["run"]["items"][number]): boolean {
  return item.part !== "segment" || item.state === "failed";
}

interface CardProps {
  state: RunState;
  open: boolean;
  onOpen: () => void;
  onAct: (act: "pause" | "resume" | "cancel" | "retry") => void;
  onForget: () => void;
  onSave: () => void;
}

function RunCard({ state, open, onOpen, onAct, onForget, onSave }: CardProps) {
  const { run, done, failed } = state;
  const [sure, setSure] = useState(false);
  const going = isGoing(state);
  const share = (done + failed) / run.items.length;
  return (
    <Card aria-label={run.name}>
      <header>
        <div>
          <h2>{run.name}</h2>
          {going ? <Progress label={standing(state)} share={share} /> : <Note role="status">{standing(state)}</Note>}
        </div>
        {going && <Button onPress={() => onAct("pause")}>Pause</Button>}
        {run.state === "paused" && <Button onPress={() => onAct("resume")}>Go on</Button>}
        {(going || run.state === "paused") && <Button onPress={() => onAct("cancel")}>Cancel</Button>}
        {!going && failed > 0 && <Button onPress={() => onAct("retry")}>Try the failed again</Button>}
        {!going && run.state === "cancelled" && <Button onPress={() => onAct("retry")}>Do the rest</Button>}
        {state.files > 0 && canSaveToFolder() && <Button onPress={onSave}>Save to a folder…</Button>}
        {state.files > 0 && (
          <Button weight={going ? "plain" : "strong"} onPress={() => window.location.assign(`/api/runs/${run.id}/archive`)}>
            Save as archive
          </Button>
        )}
        {!going && run.state !== "paused" && (
          <Button weight="bare" onPress={() => (sure || state.files === 0 ? onForget() : setSure(true))}>
            {sure ? "Delete its files too" : "Delete"}
          </Button>
        )}
        {!open && (
          <Button weight="bare" onPress={onOpen}>
            Show pictures
          </Button>
        )}
      </header>
      {run.error && <Wrong role="alert">{run.error}</Wrong>}
      {open && (
        <Grid>
          {run.items.filter(isShown).map((item) => (
            <RunItem key={item.id} run={run.id} item={item} />
          ))}
        </Grid>
      )}
    </Card>
  );
}
