import styled from "styled-components";
import { Button } from "../../ui/Button";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";

const Corner = styled.div`
  position: absolute;
  left: 10px;
  bottom: 10px;
  background: ${tone.panel};
  border-radius: 3px;
`;

/** Says that the picture is shown darker or brighter than it is; a press shows it as it is. */
export function ViewNote() {
  const { store } = useBench();
  const exposure = useNow((s) => s.seeing.exposure);
  if (exposure === 0) return null;
  return (
    <Corner>
      <Button
        hint="Only the view; the picture and its export stay as they are"
        onPress={() => store.setState((s) => ({ seeing: { ...s.seeing, exposure: 0 } }))}
      >
        Shown at {exposure > 0 ? "+" : "−"}
        {Math.abs(exposure).toFixed(1)} EV: show as it is
      </Button>
    </Corner>
  );
}
