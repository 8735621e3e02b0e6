import { useRef } from "react";
import styled from "styled-components";
import { Button } from "../../ui/Button";
import { Icon } from "../../ui/Icon";
import { OneStop, STOP } from "../../ui/OneStop";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { HOUSE } from "../store/rig";
import { Chip } from "./Chip";
import { LightRow } from "./LightRow";

const Row = styled(OneStop)`
  display: flex;
  align-items: stretch;
  gap: 5px;
  padding: 4px 0;
  height: 96px;
  overflow-x: auto;
  background: ${tone.base};
  border-top: 1px solid #111;
  /* What is selected comes into view beside what stands at the ends. */
  scroll-padding: 0 132px 0 168px;
`;

const MANY = 9; // lights from which a list finds one sooner

/** Stays in sight however many lights there are. */
const Ends = styled.div<{ $side: "left" | "right" }>`
  display: flex;
  flex: none;
  gap: 5px;
  align-items: stretch;
  position: sticky;
  z-index: 1;
  ${(p) => p.$side}: 0;
  padding: 0 8px;
  background: ${tone.base};
  ${(p) => (p.$side === "right" ? "flex-direction: column; justify-content: center;" : "")}
`;

/** The plate, the house light and every light in order, lowest first, with what adds another. */
export function Desk() {
  const { select, open, sketching } = useBench();
  const desk = useRef<HTMLDivElement>(null);
  const count = useNow((s) => s.rig.lights.length);
  const level = useNow((s) => s.rig.house.level);
  const of = useNow(({ selection }) => (selection === "plate" ? "plate" : selection.of));
  return (
    <Row ref={desk} aria-label="Desk" onWheel={(event) => (event.currentTarget.scrollLeft += event.deltaY)}>
      <Ends $side="left">
        <Chip name="Plate" note="prepare" selected={of === "plate"} onSelect={() => select("plate")} />
        <Chip name="House light" note={`level ${level.toFixed(2)}`} selected={of === "house"} onSelect={() => select(HOUSE)} />
        {count >= MANY && (
          <Button {...STOP} hint="All lights in a list, with a search (Y)" aria-label="List of lights" onPress={() => open("lights")}>
            {count}
          </Button>
        )}
      </Ends>
      <LightRow desk={desk} />
      <Ends $side="right">
        <Button
          {...STOP}
          weight={count === 0 ? "strong" : "plain"}
          hint="Every kind of light on this plate (A)"
          onPress={() => open("kinds")}
        >
          <Icon name="plus" /> Add a light
        </Button>
        <Button {...STOP} hint="Paint where light should fall, and choose from lights that fall there (L)" onPress={sketching.begin}>
          Show me where…
        </Button>
      </Ends>
    </Row>
  );
}
