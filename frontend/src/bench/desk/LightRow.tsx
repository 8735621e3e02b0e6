import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useState, type RefObject } from "react";
import styled from "styled-components";
import { useBench, useNow, useSome } from "../store/bench";
import { lightIdNow } from "../store/selectors";
import { LightChip } from "./LightChip";

const MOST = 14; // lights whose chips are all drawn; of more only those near the desk's part are
const CHIP = 122; // CSS pixels of a chip among many
const GAP = 5;
const BEFORE = 168; // CSS pixels of what stands before the lights
const NEAR = 4; // chips beyond the desk's part

const Long = styled.div`
  position: relative;
  flex: none;
  > div {
    position: absolute;
    top: 0;
    bottom: 0;
    width: ${CHIP}px;
    display: grid;
  }
`;

/** The chips of the lights, lowest first; of many only those that are seen. */
export function LightRow({ desk }: { desk: RefObject<HTMLDivElement | null> }) {
  const { lights, store } = useBench();
  const [carried, setCarried] = useState<string | null>(null);
  const ids = useSome((s) => s.rig.lights.map((light) => light.id));
  const selected = useNow(lightIdNow);
  const long = ids.length > MOST;
  const row = useVirtualizer({
    count: ids.length,
    horizontal: true,
    getScrollElement: () => desk.current,
    estimateSize: () => CHIP,
    gap: GAP,
    scrollMargin: BEFORE,
    overscan: NEAR,
    enabled: long,
  });
  useEffect(() => {
    const at = store.getState().rig.lights.findIndex((light) => light.id === selected);
    if (long && at >= 0) row.scrollToIndex(at, { align: "auto" });
  }, [long, row, selected, store]);
  const chip = (id: string, index: number) => (
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
  );
  if (!long) return ids.map(chip);
  return (
    <Long style={{ width: row.getTotalSize() }}>
      {row.getVirtualItems().map(({ index, start }) => {
        const id = ids[index];
        return (
          id && (
            <div key={id} style={{ left: start - BEFORE }}>
              {chip(id, index)}
            </div>
          )
        );
      })}
    </Long>
  );
}
