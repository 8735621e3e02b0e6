import styled from "styled-components";
import { useDeferredValue, type ReactNode } from "react";
import { tone } from "../../ui/theme";
import { useBench, useSome } from "../store/bench";
import { HOUSE } from "../store/rig";
import { lightIdNow } from "../store/selectors";
import { GroupColumn } from "./GroupColumn";
import { LightColumn } from "./LightColumn";
import { MatteColumn } from "./masks/MatteColumn";
import { MaskPanel } from "./masks/MaskPanel";
import { WidthHandle } from "./WidthHandle";
import { PlateColumn } from "./PlateColumn";

const Side = styled.aside`
  grid-area: path;
  display: grid;
  grid-template-rows: minmax(0, 1fr);
  position: relative;
  background: ${tone.panel};
  border-left: 1px solid #111;
  min-height: 0;
  /* A press on what is still that of another light would change that one. */
  &[aria-busy="true"] {
    pointer-events: none;
  }
`;

/** Whatever is selected, with all that can be set of it; and over its foot the place for help. */
export function Column({ help }: { help: ReactNode }) {
  const { editing, catalogue } = useBench();
  const chosen = useSome((s) => ({ light: lightIdNow(s), what: s.selection === "plate" ? "plate" : s.selection.of }));
  // Drawn in slices after the chip that was chosen, so that a press is answered at once.
  const shown = useDeferredValue(chosen);
  const { light, what } = shown;
  return (
    <Side aria-label="Settings" aria-busy={shown !== chosen}>
      <WidthHandle />
      {/* Another light's column begins at its top. */}
      {what === "light" && light && <LightColumn key={light} id={light} />}
      {what === "matte" && <MatteColumn />}
      {what === "plate" && <PlateColumn />}
      {what === "house" && (
        <GroupColumn
          title="House light"
          place="house"
          group={catalogue.house}
          onResetAll={() => editing.resetAll("house", catalogue.house)}
          below={<MaskPanel owner={HOUSE} />}
        />
      )}
      {help}
    </Side>
  );
}
