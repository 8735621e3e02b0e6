import { useVirtualizer } from "@tanstack/react-virtual";
import { useDeferredValue, useEffect, useLayoutEffect, useRef, useState, type ReactNode } from "react";
import styled from "styled-components";
import type { Plate } from "../api/client";

const NARROWEST = 280; // CSS pixels of a card
const GAP = 22;
const SIDE = 24;
const TOP = 10;
const UNDER = 36; // CSS pixels of a card under its picture
const MOST = 60; // plates that are drawn at once; of more only those near the window's part are
const NEAR = 2; // rows beyond it

const Scroller = styled.main`
  flex: 1;
  overflow: auto;
  /* What is hidden in a card, as its tick box, scrolls with it. */
  position: relative;
`;

const Row = styled.div<{ $columns: number }>`
  display: grid;
  grid-template-columns: repeat(${(p) => p.$columns}, minmax(0, 1fr));
  gap: ${GAP}px;
  padding: 0 ${SIDE}px;
`;

// Where the list was left, for the way back to it.
let left = 0;

/** Cards side by side, as many as there is room for; of a long list only the rows that are seen. */
export function PlateGrid({ plates, children }: { plates: Plate[]; children: (plate: Plate) => ReactNode }) {
  const scroller = useRef<HTMLElement>(null);
  const [width, setWidth] = useState(1280);
  useLayoutEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    element.scrollTop = left;
    return () => observer.disconnect();
  }, []);
  useEffect(() => {
    const element = scroller.current;
    const note = () => (left = element?.scrollTop ?? 0);
    element?.addEventListener("scroll", note);
    return () => element?.removeEventListener("scroll", note);
  }, []);
  const columns = Math.max(1, Math.floor((width - 2 * SIDE + GAP) / (NARROWEST + GAP)));
  const rows = Array.from({ length: Math.ceil(plates.length / columns) }, (_, k) => plates.slice(k * columns, (k + 1) * columns));
  const card = (width - 2 * SIDE - (columns - 1) * GAP) / columns;
  const height = (card * 2) / 3 + UNDER + GAP;
  const long = plates.length > MOST;
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => height,
    overscan: NEAR,
    paddingStart: TOP,
    initialOffset: left,
    enabled: long,
  });
  useEffect(() => virtual.measure(), [virtual, height]);
  // Cards are drawn in slices, so that a long list holds up nothing.
  const seen = useDeferredValue(virtual.getVirtualItems(), []);
  if (!long)
    return (
      <Scroller ref={scroller} aria-label="Plates">
        <Row $columns={columns} style={{ paddingTop: TOP, paddingBottom: 40 }}>
          {plates.map(children)}
        </Row>
      </Scroller>
    );
  return (
    <Scroller ref={scroller} aria-label="Plates">
      <div style={{ height: virtual.getTotalSize() + 40, position: "relative" }}>
        {seen.map(({ index, start }) => (
          <Row
            key={index}
            $columns={columns}
            style={{ position: "absolute", left: 0, right: 0, top: 0, transform: `translateY(${start}px)` }}
          >
            {rows[index]?.map(children)}
          </Row>
        ))}
      </div>
    </Scroller>
  );
}
