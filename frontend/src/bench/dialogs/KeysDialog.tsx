import styled from "styled-components";
import { Dialog } from "../../ui/Dialog";
import { tone } from "../../ui/theme";
import type { Key } from "../keys";

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

/** What the keys do. */
export function KeysDialog({ keys, onClose }: { keys: Key[]; onClose: () => void }) {
  return (
    <Dialog title="Keys" open onClose={onClose}>
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
        <dd>Move the focused handle or slider; ten times as far with Shift</dd>
        <dt>Shift, wheel</dt>
        <dd>Drag a slider finely, a place on the picture level or plumb; turn the focused slider step by step</dd>
        <dt>Ctrl</dt>
        <dd>Drag a place on the picture finely</dd>
        <dt>Double-click</dt>
        <dd>Reset a setting</dd>
      </List>
    </Dialog>
  );
}
