import styled from "styled-components";
import { Dialog } from "../ui/Dialog";
import { tone } from "../ui/theme";
import type { Key } from "./useKeys";

const List = styled.dl`
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 6px 18px;
  margin: 0;
  dt {
    color: ${tone.strong};
  }
  dd {
    margin: 0;
    color: ${tone.faint};
  }
`;

const names: Record<string, string> = { ArrowLeft: "←", ArrowRight: "→", Escape: "Esc" };

export function KeysDialog({ keys, open, onClose }: { keys: Key[]; open: boolean; onClose: () => void }) {
  return (
    <Dialog title="Keys" open={open} onClose={onClose}>
      <List>
        {keys.map((key) => (
          <div key={key.keys} style={{ display: "contents" }}>
            <dt>{key.keys.replace(/Arrow\w+|Escape/, (k) => names[k] ?? k)}</dt>
            <dd>{key.does}</dd>
          </div>
        ))}
        <dt>Wheel, drag</dt>
        <dd>Zoom to the pointer, move the view</dd>
        <dt>Arrows</dt>
        <dd>Move the focused handle or slider; hold Shift to move ten times as far</dd>
        <dt>Double-click</dt>
        <dd>Reset a setting</dd>
      </List>
    </Dialog>
  );
}
