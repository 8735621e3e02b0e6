import styled from "styled-components";
import { Dialog } from "../../ui/Dialog";
import { tone } from "../../ui/theme";
import type { KeyGroup } from "../keys";

const Columns = styled.div`
  columns: 2;
  column-gap: 32px;
  @media (max-width: 700px) {
    columns: 1;
  }
  section {
    break-inside: avoid;
    margin-bottom: 12px;
  }
  h3 {
    font-size: 13px;
    font-weight: 600;
    color: ${tone.accent};
  }
`;

const List = styled.dl`
  margin: 0;
  div {
    display: grid;
    grid-template-columns: 104px 1fr;
    gap: 10px;
    padding: 2px 0;
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

type Row = [keys: string, does: string];

/** Done with the pointer, or with keys that mean something only together with it. */
const BY_HAND: Row[] = [
  ["Wheel, drag", "Zoom to the pointer, move the view"],
  ["Arrows", "Move the focused handle or slider; ten times as far with Shift"],
  ["Shift, wheel", "Drag a slider finely, a place level or plumb; turn the focused slider step by step"],
  ["Ctrl", "Drag a place on the picture finely"],
  ["Double-click", "Reset a setting"],
];

const names: Record<string, string> = { ArrowLeft: "←", ArrowRight: "→", Escape: "Esc" };

/** What the keys do, by what one does. */
export function KeysDialog({ groups, onClose }: { groups: KeyGroup[]; onClose: () => void }) {
  const shown = (keys: string) => keys.replace(/Arrow\w+|Escape/, (k) => names[k] ?? k);
  const sections: { title: string; rows: Row[] }[] = [
    ...groups.map(({ title, keys }) => ({ title, rows: keys.map(({ keys: of, does }): Row => [shown(of), does]) })),
    { title: "By hand", rows: BY_HAND },
  ];
  return (
    <Dialog title="Keys" width="fitting" open onClose={onClose}>
      <Columns>
        {sections.map(({ title, rows }) => (
          <section key={title}>
            <h3>{title}</h3>
            <List>
              {rows.map(([keys, does]) => (
                <div key={keys}>
                  <dt>
                    <kbd>{keys}</kbd>
                  </dt>
                  <dd>{does}</dd>
                </div>
              ))}
            </List>
          </section>
        ))}
      </Columns>
    </Dialog>
  );
}
