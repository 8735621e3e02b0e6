import { useState } from "react";
import styled from "styled-components";
import { Button } from "../../ui/Button";
import { Icon } from "../../ui/Icon";
import { tone } from "../../ui/theme";
import { useBench, useNow, useSome } from "../store/bench";
import { HOUSE } from "../store/rig";
import { Chip } from "./Chip";
import { LightChip } from "./LightChip";

const Row = styled.div`
  display: flex;
  align-items: stretch;
  gap: 5px;
  padding: 8px 0;
  height: 100%;
  overflow-x: auto;
  background: ${tone.base};
  border-top: 1px solid #111;
  /* What is selected comes into view beside what stands at the ends. */
  scroll-padding: 0 132px 0 168px;
`;

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
  const { select, open, lights, sketching } = useBench();
  const [carried, setCarried] = useState<string | null>(null);
  const ids = useSome((s) => s.rig.lights.map((light) => light.id));
  const level = useNow((s) => s.rig.house.level);
  const of = useNow(({ selection }) => (selection === "plate" ? "plate" : selection.of));
  return (
    <Row role="toolbar" aria-label="Desk" aria-orientation="horizontal">
      <Ends $side="left">
        <Chip name="Plate" note="prepare" selected={of === "plate"} onSelect={() => select("plate")} />
        <Chip name="House light" note={`level ${level.toFixed(2)}`} selected={of === "house"} onSelect={() => select(HOUSE)} />
      </Ends>
      {ids.map((id, index) => (
        <LightChip
          key={id}
          id={id}
          index={index}
          last={index === ids.length - 1}
          carried={carried === id}
          onCarry={(now) => setCarried(now ? id : null)}
          onDropHere={() => {
            if (carried && carried !== id) lights.move(carried, index);
            setCarried(null);
          }}
        />
      ))}
      <Ends $side="right">
        <Button weight={ids.length === 0 ? "strong" : "plain"} hint="Every kind of light on this plate (A)" onPress={() => open("kinds")}>
          <Icon name="plus" /> Add a light
        </Button>
        <Button hint="Paint where light should fall, and choose from lights that fall there (L)" onPress={sketching.begin}>
          Show me where…
        </Button>
      </Ends>
    </Row>
  );
}
