import styled from "styled-components";
import { go } from "../route";
import { Button, Toggle } from "../ui/Button";
import { Hint } from "../ui/Hint";
import { Icon } from "../ui/Icon";
import { Errors } from "../ui/Notices";
import { oneLine, tone } from "../ui/theme";
import { HoldButton } from "./HoldButton";
import { SaveState } from "./SaveState";
import { useBench, useNow } from "./store/bench";
import { isGoing } from "./store/exports";
import { lightNow, placementNow } from "./store/selectors";

const Bar = styled.header`
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 40px;
  padding: 0 10px;
  background: ${tone.base};
  border-bottom: 1px solid #111;
  h1 {
    font-size: 14px;
    color: ${tone.strong};
    max-width: 24ch;
    ${oneLine}
  }
  .gap {
    flex: 1;
  }
  .zooming {
    display: contents;
  }
  /* In a small window what can be done by wheel and key goes first. */
  @media (max-width: 1120px) {
    gap: 3px;
    padding: 0 4px;
    flex-wrap: wrap;
    .rule,
    .zooming {
      display: none;
    }
    h1 {
      max-width: 16ch;
    }
    button {
      padding: 0 7px;
    }
  }
  .rule {
    width: 1px;
    height: 18px;
    background: ${tone.line};
    margin: 0 4px;
  }
  .zoom {
    min-width: 46px;
    text-align: center;
    color: ${tone.faint};
  }
`;

/** The way back, what is kept, the view, comparing, and what is done with the whole. */
export function TopBar() {
  const { keeping, viewing, hold, open, store } = useBench();
  const plate = useNow((s) => s.plate.name);
  const undo = useNow((s) => s.undo);
  const redo = useNow((s) => s.redo);
  const clipping = useNow((s) => s.clipping);
  const handles = useNow((s) => s.handles);
  const hasLight = useNow((s) => lightNow(s) !== undefined);
  return (
    <Bar>
      <Button
        weight="bare"
        aria-label="Back to the plates"
        hint={`Back to the plates. This one is ${plate}`}
        onPress={() => (store.getState().save.is === "waiting" ? open("leave") : go("/"))}
      >
        <Icon name="back" /> Plates
      </Button>
      <Hint text={plate}>
        <h1>{plate}</h1>
      </Hint>
      <SaveState />
      <Errors />
      <span className="rule" />
      <Button
        weight="bare"
        aria-label="Undo"
        hint={undo ? `Undo: ${undo} (Ctrl Z)` : "Nothing to undo"}
        isDisabled={!undo}
        onPress={keeping.undo}
      >
        <Icon name="undo" />
      </Button>
      <Button
        weight="bare"
        aria-label="Redo"
        hint={redo ? `Redo: ${redo} (Ctrl Shift Z)` : "Nothing to redo"}
        isDisabled={!redo}
        onPress={keeping.redo}
      >
        <Icon name="redo" />
      </Button>
      <span className="gap" />
      <span className="zooming">
        <Button weight="bare" aria-label="Zoom out" onPress={() => viewing.zoomBy(1 / NOTCH)}>
          <Icon name="minus" />
        </Button>
        <Zoom />
        <Button weight="bare" aria-label="Zoom in" onPress={() => viewing.zoomBy(NOTCH)}>
          <Icon name="plus" />
        </Button>
      </span>
      <Button hint="The whole plate; again: with a margin for sources outside it (F)" onPress={viewing.fit}>
        Fit
      </Button>
      <Button hint="One pixel of the plate to one of the screen (1)" onPress={viewing.full}>
        1:1
      </Button>
      <span className="rule" />
      <HoldButton hint="The picture as shot, while held (B)" onHold={(now) => hold(now ? "before" : null)}>
        Before
      </HoldButton>
      <HoldButton
        hint="The picture without the selected light, while held (W)"
        disabled={!hasLight}
        onHold={(now) => hold(now ? "without" : null)}
      >
        Without this light
      </HoldButton>
      <Toggle hint="Stripes where the picture is clipped (K)" isSelected={clipping} onChange={(now) => store.setState({ clipping: now })}>
        Clipping
      </Toggle>
      <Toggle hint="Handles on the picture (H)" isSelected={handles} onChange={(now) => store.setState({ handles: now })}>
        Handles
      </Toggle>
      <span className="rule" />
      <Button hint="Keep this state under a name, compare, go back (T)" onPress={() => open("takes")}>
        Takes
      </Button>
      <Button hint="Saved rigs, seen on this plate (R)" onPress={() => open("rigs")}>
        Rigs
      </Button>
      <Button weight="bare" aria-label="Keys" hint="What the keys do (?)" onPress={() => open("keys")}>
        ?
      </Button>
      <ExportButton />
    </Bar>
  );
}

/** Opens the export; while one is made it says how far that is. */
function ExportButton() {
  const { open } = useBench();
  const share = useNow((s) => (s.exported && isGoing(s.exported) ? Math.round(s.exported.share * 100) : null));
  return (
    <Button weight="strong" onPress={() => open("export")}>
      {share === null ? "Export…" : `Exporting, ${String(share)} %`}
    </Button>
  );
}

const NOTCH = 1.4; // by which a press zooms

function Zoom() {
  const zoom = useNow((s) => Math.round((placementNow(s)?.scale ?? 0) * window.devicePixelRatio * 100));
  return (
    <span className="zoom" role="status" aria-label="Zoom">
      {zoom} %
    </span>
  );
}
