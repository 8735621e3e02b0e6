import styled from "styled-components";
import { useBench, useNow } from "../store/bench";
import { SettingGroup } from "./settings/SettingGroup";

const Box = styled.div`
  margin-bottom: 14px;
`;

/** How the picture is looked at: the exposure of the view and the peak. No part of the rig, and gone with the page. */
export function ViewRows() {
  const { catalogue, store, now } = useBench();
  const seeing = useNow((s) => s.seeing);
  return (
    <Box>
      <SettingGroup
        plate={now().plate}
        group={catalogue.viewing}
        values={seeing}
        onChange={(name, value) => store.setState((s) => ({ seeing: { ...s.seeing, [name]: value } }))}
        onRest={() => undefined}
        onReset={(setting) => store.setState((s) => ({ seeing: { ...s.seeing, [setting.name]: setting.default } }))}
      />
    </Box>
  );
}
