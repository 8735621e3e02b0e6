import styled from "styled-components";
import { Hint } from "../../ui/Hint";
import { Select } from "../../ui/Select";
import { useBench, useNow } from "../store/bench";
import { withValues } from "../store/rig";

const Line = styled.div`
  margin-top: 8px;
`;

/** The colour space that the plate's file is in, where a colour configuration is chosen. */
export function InputSpaceRow() {
  const { catalogue, editing, now } = useBench();
  const space = useNow((s) => s.rig.prepare.input_space);
  const { colours } = catalogue;
  if (!colours) return null;
  // A rig from elsewhere may name one that this configuration does not have.
  const known = colours.input_spaces.some((option) => option.value === space);
  return (
    <Hint text={`${colours.input_label}. ${colours.input_help}.`}>
      <Line>
        <Select
          label={colours.input_label}
          value={space}
          options={known ? colours.input_spaces : [...colours.input_spaces, { value: space, text: space }]}
          onChange={(chosen) => editing.edit(withValues(now().rig, "prepare", { input_space: chosen }), colours.input_label)}
        />
      </Line>
    </Hint>
  );
}

const MISSING = "This rig names a view of a colour configuration that is not chosen here";

/** The view of a display under which the picture is shown and written. */
export function ViewRow() {
  const { catalogue, editing, now } = useBench();
  const view = useNow((s) => s.rig.finish.view);
  const { colours } = catalogue;
  if (!colours && !view) return null;
  const views = colours?.views ?? [];
  const label = colours?.view_label ?? "Display and view";
  const same = views.findIndex((one) => one.view.display === view?.display && one.view.view === view.view);
  const foreign = view && same < 0 ? [{ value: "foreign", text: `${view.display}: ${view.view}` }] : [];
  return (
    <Hint text={`${label}. ${colours?.view_help ?? MISSING}.`}>
      <Line>
        <Select
          label={label}
          value={view ? (same < 0 ? "foreign" : String(same)) : ""}
          options={[
            { value: "", text: colours?.no_view ?? "None" },
            ...views.map((one, k) => ({ value: String(k), text: one.text })),
            ...foreign,
          ]}
          onChange={(chosen) => {
            if (chosen === "foreign") return;
            editing.edit(withValues(now().rig, "finish", { view: views[Number(chosen)]?.view ?? null }), label);
          }}
        />
      </Line>
    </Hint>
  );
}
