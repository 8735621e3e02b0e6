import styled from "styled-components";
import { Button } from "../../ui/Button";
import { useBench, useNow } from "../store/bench";
import { MEASURING } from "../store/frames";
import { Section } from "./Section";

const Frame = styled(Section)`
  justify-items: start;
`;

function percent(share: number): string {
  return `${(share * 100).toFixed(share < 0.01 ? 2 : 1)} %`;
}

/** How much the light of a reel flickers. */
export function ReelNumbers() {
  const { frames } = useBench();
  const found = useNow((s) => s.flicker);
  const busy = useNow((s) => s.tasks.some((task) => task.label === MEASURING));
  return (
    <Frame aria-label="Flicker">
      <h3>Flicker</h3>
      <p>How much of the light jumps from frame to frame, beyond what the picture does itself.</p>
      {found && (
        <p role="status">
          {percent(found.share)} of the light; most, {percent(found.worst_share)}, at frame{" "}
          <Button weight="bare" aria-label={`Go to frame ${found.worst}`} onPress={() => frames.to(found.worst)}>
            {found.worst}
          </Button>
        </p>
      )}
      <Button isDisabled={busy} onPress={() => void frames.measure()}>
        Measure the flicker
      </Button>
    </Frame>
  );
}
