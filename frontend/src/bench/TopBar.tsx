import styled from "styled-components";
import type { BenchState } from "../api/client";
import { go } from "../route";
import { Button, Toggle } from "../ui/Button";
import { Icon } from "../ui/Icon";
import { tone } from "../ui/theme";
import { HoldButton } from "./HoldButton";
import type { SaveState } from "./useBench";

const Bar = styled.header`
  display: flex;
  align-items: center;
  gap: 6px;
  padding: 0 10px;
  background: ${tone.base};
  border-bottom: 1px solid #111;
  overflow: hidden;
  h1 {
    font-size: 14px;
    color: ${tone.strong};
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    max-width: 24ch;
  }
  .gap {
    flex: 1;
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

const Saved = styled.span<{ $wrong: boolean }>`
  color: ${(p) => (p.$wrong ? tone.warning : tone.faint)};
  margin-left: 8px;
  white-space: nowrap;
`;

interface Props {
  state: BenchState;
  save: SaveState;
  zoom: number;
  handles: boolean;
  clipping: boolean;
  hasLight: boolean;
  onUndo: () => void;
  onRedo: () => void;
  onFit: () => void;
  onFull: () => void;
  onZoom: (factor: number) => void;
  onHandles: (shown: boolean) => void;
  onClipping: (shown: boolean) => void;
  onBefore: (held: boolean) => void;
  onWithout: (held: boolean) => void;
  onTakes: () => void;
  onRigs: () => void;
  onExport: () => void;
  onHelp: () => void;
}

function savedText(save: SaveState): string {
  if (save.is === "saved") return "Saved";
  return save.is === "saving" ? "Saving…" : `Not saved: ${save.why}`;
}

export function TopBar(p: Props) {
  const { undo, redo, plate } = p.state;
  return (
    <Bar>
      <Button weight="bare" aria-label="Back to the plates" onPress={() => go("/")}>
        <Icon name="back" /> Plates
      </Button>
      <h1>{plate.name}</h1>
      <Saved $wrong={p.save.is === "waiting"} role="status" aria-label="Save state">
        {savedText(p.save)}
      </Saved>
      <span className="rule" />
      <Button
        weight="bare"
        aria-label="Undo"
        hint={undo ? `Undo: ${undo} (Ctrl Z)` : "Nothing to undo"}
        isDisabled={!undo}
        onPress={p.onUndo}
      >
        <Icon name="undo" />
      </Button>
      <Button
        weight="bare"
        aria-label="Redo"
        hint={redo ? `Redo: ${redo} (Ctrl Shift Z)` : "Nothing to redo"}
        isDisabled={!redo}
        onPress={p.onRedo}
      >
        <Icon name="redo" />
      </Button>
      <span className="gap" />
      <Button weight="bare" aria-label="Zoom out" onPress={() => p.onZoom(1 / 1.4)}>
        <Icon name="minus" />
      </Button>
      <span className="zoom" aria-label="Zoom">
        {Math.round(p.zoom * 100)} %
      </span>
      <Button weight="bare" aria-label="Zoom in" onPress={() => p.onZoom(1.4)}>
        <Icon name="plus" />
      </Button>
      <Button hint="The whole plate with its surround (F)" onPress={p.onFit}>
        Fit
      </Button>
      <Button hint="One pixel of the plate to one of the screen (1)" onPress={p.onFull}>
        1:1
      </Button>
      <span className="rule" />
      <HoldButton hint="The picture as shot, while held (B)" onHold={p.onBefore}>
        Before
      </HoldButton>
      <HoldButton hint="The picture without the selected light, while held (W)" disabled={!p.hasLight} onHold={p.onWithout}>
        Without this light
      </HoldButton>
      <Toggle hint="Stripes where the picture is clipped (K)" isSelected={p.clipping} onChange={p.onClipping}>
        Clipping
      </Toggle>
      <Toggle hint="Handles on the picture (H)" isSelected={p.handles} onChange={p.onHandles}>
        Handles
      </Toggle>
      <span className="rule" />
      <Button hint="Keep this state under a name, compare, go back (T)" onPress={p.onTakes}>
        Takes
      </Button>
      <Button hint="Saved rigs, seen on this plate (R)" onPress={p.onRigs}>
        Rigs
      </Button>
      <Button weight="bare" aria-label="Keys" hint="What the keys do (?)" onPress={p.onHelp}>
        ?
      </Button>
      <Button weight="strong" onPress={p.onExport}>
        Export…
      </Button>
    </Bar>
  );
}
