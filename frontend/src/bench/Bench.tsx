import { lazy, startTransition, Suspense, useEffect, useMemo, useState } from "react";
import styled from "styled-components";
import { api, AWAY, said, type BenchState, type Catalogue } from "../api/client";
import { go } from "../route";
import { Button } from "../ui/Button";
import { Message } from "../ui/Message";
import { useNotices } from "../ui/Notices";
import { columnWidth } from "./column/WidthHandle";
import { Column } from "./column/Column";
import { WithHelp } from "./column/HelpLine";
import { Desk } from "./desk/Desk";
import { FrameStrip } from "./frames/FrameStrip";
import { keysOf, useKeys } from "./keys";
import { Picture } from "./picture/Picture";
import { BenchContext, makeBench } from "./store/bench";
import { Spoken } from "./Spoken";
import { SaveTrouble } from "./SaveState";
import { TopBar } from "./TopBar";
import { useDroppedFiles } from "./useDroppedFiles";
import { useKeptFocus } from "./useKeptFocus";

const Dialogs = lazy(() => import("./dialogs/Dialogs").then(({ Dialogs }) => ({ default: Dialogs })));

const Frame = styled.div<{ $reel: boolean }>`
  height: 100%;
  display: grid;
  grid-template-columns: minmax(0, 1fr) ${columnWidth};
  grid-template-rows: auto minmax(0, 1fr) ${(p) => (p.$reel ? "auto" : "0")} auto;
  grid-template-areas: "top top" "picture path" "frames path" "desk path";
  > header {
    grid-area: top;
  }
  /* Layers of their own: what moves on the picture makes the browser put nothing else together anew. */
  > header,
  > aside,
  > footer {
    will-change: transform;
    zoom: var(--scale);
  }
`;

const Bottom = styled.footer`
  grid-area: desk;
  min-width: 0;
`;

/** A plate on the bench, once it has come. */
export function Bench({ plateId, catalogue }: { plateId: number; catalogue: Catalogue }) {
  const [opened, setOpened] = useState<BenchState | null>(null);
  const [failure, setFailure] = useState<string | null>(null);
  useEffect(() => {
    api.GET("/api/plates/{plate_id}/bench", { params: { path: { plate_id: plateId } } }).then(
      // In slices, so that the page answers while all of the bench is drawn for the first time.
      ({ data, error }) => startTransition(() => (data ? setOpened(data) : setFailure(said(error)))),
      () => setFailure(AWAY),
    );
  }, [plateId]);
  if (failure) {
    return (
      <Message title="This plate cannot be opened">
        <p>{failure}</p>
        <Button onPress={() => go("/")}>Back to the plates</Button>
      </Message>
    );
  }
  return opened ? <OpenBench opened={opened} catalogue={catalogue} /> : <Message title="Opening the plate…" />;
}

/** The bench: the bar at the top, the picture, the desk under it, and the column of what is selected. */
function OpenBench({ opened, catalogue }: { opened: BenchState; catalogue: Catalogue }) {
  const { say, warn, tell } = useNotices();
  const [bench] = useState(() => makeBench(opened, catalogue, { say, warn, tell }));
  const keys = useMemo(() => keysOf(bench), [bench]);
  useKeys(bench, keys);
  useKeptFocus(bench);
  useEffect(() => bench.start(), [bench]);
  useDroppedFiles(warn);
  const reel = opened.plate.frames > 1;
  return (
    <BenchContext.Provider value={bench}>
      <WithHelp>
        {(help) => (
          <Frame $reel={reel}>
            <TopBar />
            <Picture />
            <SaveTrouble />
            <Spoken />
            {reel && <FrameStrip />}
            <Bottom>
              <Desk />
            </Bottom>
            <Column help={help} />
            <Suspense>
              <Dialogs keys={keys} />
            </Suspense>
          </Frame>
        )}
      </WithHelp>
    </BenchContext.Provider>
  );
}
