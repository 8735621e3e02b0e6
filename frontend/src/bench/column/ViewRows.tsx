import styled from "styled-components";
import { ScaleChoice } from "../../ui/ScaleChoice";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { SettingGroup } from "./settings/SettingGroup";

const Box = styled.section`
  margin-top: 18px;
  h3 {
    font-size: 13px;
    font-weight: 600;
    color: ${tone.strong};
  }
`;

/** How the picture is looked at: the exposure of the view and the peak. No part of the rig, and gone with the page. */
export function ViewRows() {
  const { catalogue, store, now } = useBench();
  const seeing = useNow((s) => s.seeing);
  return (
    <Box>
      <h3>{catalogue.viewing.label}</h3>
      <SettingGroup
        plate={now().plate}
        group={catalogue.viewing}
        values={seeing}
        onChange={(name, value) => store.setState((s) => ({ seeing: { ...s.seeing, [name]: value } }))}
        onRest={() => undefined}
        onReset={(setting) => store.setState((s) => ({ seeing: { ...s.seeing, [setting.name]: setting.default } }))}
      />
      <ScaleChoice />
    </Box>
  );
}
