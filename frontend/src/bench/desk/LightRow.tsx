import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useLayoutEffect, useRef, useState, type RefObject } from "react";
import styled from "styled-components";
import { useBench, useNow, useSome } from "../store/bench";
import { lightIdNow } from "../store/selectors";
import { LightChip } from "./LightChip";

const MOST = 14; // lights whose chips are all drawn; of more only those near the desk's part are
const CHIP = 122; // CSS pixels of a chip among many
const GAP = 5;
const AFTER = 142; // CSS pixels of what stands over the desk's right end
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
  const place = useRef<HTMLDivElement>(null);
  const [before, setBefore] = useState(0);
  useLayoutEffect(() => setBefore(place.current?.offsetLeft ?? 0), [long]);
  const row = useVirtualizer({
    count: ids.length,
    horizontal: true,
    getScrollElement: () => desk.current,
    estimateSize: () => CHIP,
    gap: GAP,
    scrollMargin: before,
    scrollPaddingStart: before,
    scrollPaddingEnd: AFTER,
    overscan: NEAR,
    enabled: long,
  });
  useEffect(() => {
    const at = store.getState().rig.lights.findIndex((light) => light.id === selected);
    if (long && before > 0 && at >= 0) row.scrollToIndex(at, { align: "auto" });
  }, [long, before, row, selected, store]);
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
    <Long ref={place} style={{ width: row.getTotalSize() }}>
      {row.getVirtualItems().map(({ index, start }) => {
        const id = ids[index];
        return (
          id && (
            <div key={id} style={{ left: start - before }}>
              {chip(id, index)}
            </div>
          )
        );
      })}
    </Long>
  );
}
