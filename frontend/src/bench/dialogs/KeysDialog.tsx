import styled from "styled-components";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { tone } from "../../ui/theme";
import type { Key } from "../keys";

const List = styled.dl`
  columns: 2;
  column-gap: 32px;
  margin: 0;
  div {
    display: grid;
    grid-template-columns: 104px 1fr;
    gap: 10px;
    break-inside: avoid;
    padding: 3px 0;
  }
  kbd {
    display: inline-block;
    min-width: 22px;
    padding: 0 5px;
    border: 1px solid ${tone.line};
    border-bottom-width: 2px;
    border-radius: 3px;
    background: ${tone.raised};
    color: ${tone.strong};
    font: inherit;
    text-align: center;
  }
  dd {
    margin: 0;
    color: ${tone.text};
  }
`;

/** Done with the pointer, or with keys that mean something only together with it. */
const BY_HAND: [string, string][] = [
  ["Wheel, drag", "Zoom to the pointer, move the view"],
  ["Arrows", "Move the focused handle or slider; ten times as far with Shift"],
  ["Shift, wheel", "Drag a slider finely, a place on the picture level or plumb; turn the focused slider step by step"],
  ["Ctrl", "Drag a place on the picture finely"],
  ["Double-click", "Reset a setting"],
];

const names: Record<string, string> = { ArrowLeft: "←", ArrowRight: "→", Escape: "Esc" };

/** What the keys do. */
export function KeysDialog({ keys, onClose }: { keys: Key[]; onClose: () => void }) {
  return (
    <Dialog title="Keys" wide open onClose={onClose}>
      <List>
        {[
          ...keys.map(({ keys: of, does }): [string, string] => [of.replace(/Arrow\w+|Escape/, (k) => names[k] ?? k), does]),
          ...BY_HAND,
        ].map(([of, does]) => (
          <div key={of}>
            <dt>
              <kbd>{of}</kbd>
            </dt>
            <dd>{does}</dd>
          </div>
        ))}
      </List>
      <footer>
        <Button onPress={onClose}>Close</Button>
      </footer>
    </Dialog>
  );
}
