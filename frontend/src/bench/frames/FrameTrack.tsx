import { useRef, useState, type KeyboardEvent } from "react";
import styled from "styled-components";
import { focusRing, tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import { useBench, useNow } from "../store/bench";
import { framesWithKeys } from "../store/keys";
import { cutsNow } from "../store/selectors";

const Track = styled.div`
  position: relative;
  height: 34px;
  margin: 0 10px;
  touch-action: none;
  .bed {
    position: absolute;
    inset: 14px 0;
    background: ${tone.line};
  }
  .span {
    position: absolute;
    top: 14px;
    bottom: 14px;
    background: ${tone.faint};
  }
  .ready {
    position: absolute;
    top: 20px;
    height: 2px;
    background: ${tone.accent};
    opacity: 0.7;
  }
  .key {
    position: absolute;
    top: 4px;
    width: 3px;
    height: 8px;
    margin-left: -1px;
    border-radius: 1px;
    background: ${tone.strong};
  }
  .key.held {
    z-index: 1;
    top: 1px;
    width: 9px;
    height: 12px;
    margin-left: -4px;
    background: none;
    cursor: ew-resize;
    &::after {
      content: "";
      position: absolute;
      left: 3px;
      top: 3px;
      width: 3px;
      height: 8px;
      border-radius: 1px;
      background: ${tone.strong};
    }
    &:focus-visible {
      ${focusRing}
    }
  }
  .cut {
    position: absolute;
    top: 14px;
    bottom: 14px;
    width: 3px;
    margin-left: -1px;
    background: ${tone.panel};
  }
  .lost {
    position: absolute;
    top: 12px;
    width: 3px;
    height: 10px;
    margin-left: -1px;
    background: ${tone.warning};
  }
  .edge {
    position: absolute;
    top: 7px;
    bottom: 7px;
    width: 12px;
    margin-left: -6px;
    cursor: ew-resize;
    &::after {
      content: "";
      position: absolute;
      left: 5px;
      top: 0;
      bottom: 0;
      width: 2px;
      background: ${tone.text};
    }
    &:focus-visible {
      ${focusRing}
    }
  }
  .now {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 18px;
    margin-left: -9px;
    cursor: ew-resize;
    &::after {
      content: "";
      position: absolute;
      left: 8px;
      top: 0;
      bottom: 0;
      width: 2px;
      background: ${tone.accent};
    }
    &::before {
      content: "";
      position: absolute;
      left: 4px;
      bottom: 0;
      border: 5px solid transparent;
      border-bottom-color: ${tone.accent};
      border-top: 0;
    }
    &:focus-visible {
      ${focusRing}
    }
  }
`;

const FAR = 10; // frames at once with Shift
const ROOM = 0.012; // of the strip, that a key needs to be taken hold of

/** The reel from its first frame to its last: where it is, where it begins and ends, keys of what is selected, and which frames are
 * ready to be played. */
export function FrameTrack() {
  const { frames, now } = useBench();
  const track = useRef<HTMLDivElement>(null);
  const frame = useNow((s) => s.frame);
  const [begin, end] = useNow((s) => s.span);
  const keys = useNow((s) => framesWithKeys(s.rig, s.selection).join());
  const ready = useNow((s) => s.ready);
  const lost = useNow((s) => s.lost);
  const cuts = useNow((s) => cutsNow(s).join());
  const last = Math.max(frames.last, 1);
  const at = (of: number) => `${(of / last) * 100}%`;
  const width = () => track.current?.getBoundingClientRect().width || 1;
  const toFrame = (x: number) => (x / width()) * last;
  const marks = numbersIn(keys);
  const playhead = useHandle({
    at: () => ({ x: (now().frame / last) * width(), y: 0 }),
    onMove: ({ x }) => frames.scrub(toFrame(x)),
    onStep: (across, down) => frames.step(across - down),
    onRest: frames.restPlayhead,
  });
  const edge = (which: 0 | 1) => ({
    at: () => ({ x: ((now().span[which] - which) / last) * width(), y: 0 }),
    move: (to: number) => (which === 0 ? frames.limit(Math.min(to, now().span[1] - 1), now().span[1]) : frames.limit(now().span[0], to)),
  });
  const jump = (event: KeyboardEvent) => {
    const to: Record<string, number> = { Home: begin, End: end - 1, PageUp: frame + FAR, PageDown: frame - FAR };
    const wanted = to[event.key];
    if (wanted === undefined) playhead.onKeyDown(event);
    else {
      event.preventDefault();
      frames.to(wanted);
    }
  };
  return (
    <Track
      ref={track}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        const box = event.currentTarget.getBoundingClientRect();
        frames.to(toFrame(event.clientX - box.left));
        playhead.onPointerDown(event);
      }}
    >
      <span className="bed" />
      <span className="span" style={{ left: at(begin), right: `${100 - ((end - 1) / last) * 100}%` }} />
      {runsOf(ready).map(([from, to]) => (
        <span key={from} className="ready" style={{ left: at(from), width: `${((to - from) / last) * 100}%`, minWidth: 2 }} />
      ))}
      {numbersIn(cuts).map((one) => (
        <span key={one} className="cut" data-cut={one} title={`A shot begins at frame ${String(one)}`} style={{ left: at(one - 0.5) }} />
      ))}
      {lost.map((one) => (
        <span key={one} className="lost" title={`Lost at frame ${one}`} style={{ left: at(one) }} />
      ))}
      {marks.map((one, k) => (
        <KeyMark
          key={k}
          frame={one}
          last={last}
          held={Math.min(one - (marks[k - 1] ?? -last), (marks[k + 1] ?? 2 * last) - one) >= ROOM * last}
          width={width}
          onShift={(to) => frames.shiftKeys(one, to)}
        />
      ))}
      <Edge label="The reel begins" value={begin} beyond={0} last={last} {...edge(0)} toFrame={toFrame} />
      <Edge label="The reel ends" value={end - 1} beyond={1} last={last} {...edge(1)} toFrame={toFrame} />
      <div
        className="now"
        role="slider"
        tabIndex={0}
        aria-label="Frame that is seen"
        aria-valuemin={0}
        aria-valuemax={frames.last}
        aria-valuenow={frame}
        aria-orientation="horizontal"
        style={{ left: at(frame) }}
        {...playhead}
        onKeyDown={jump}
      />
    </Track>
  );
}

interface MarkProps {
  frame: number;
  last: number;
  /** There is room to take hold of it. */
  held: boolean;
  width: () => number;
  onShift: (to: number) => void;
}

/** A key of what is selected; dragged, or moved by the arrow keys, it goes to another frame. */
function KeyMark({ frame, last, held, width, onShift }: MarkProps) {
  const [to, setTo] = useState<number | null>(null);
  const wanted = useRef<number | null>(null);
  const want = (next: number) => {
    wanted.current = Math.max(0, Math.min(last, Math.round(next)));
    setTo(wanted.current);
  };
  const handle = useHandle({
    at: () => ({ x: (frame / last) * width(), y: 0 }),
    onMove: ({ x }) => want((x / width()) * last),
    onStep: (across, down) => want((wanted.current ?? frame) + across - down),
    onRest: () => {
      if (wanted.current !== null) onShift(wanted.current);
      wanted.current = null;
      setTo(null);
    },
  });
  const style = { left: `${((to ?? frame) / last) * 100}%` };
  if (!held) return <span className="key" data-key={frame} style={style} />;
  return (
    <div
      className="key held"
      data-key={frame}
      role="slider"
      tabIndex={0}
      aria-label={`Keys at frame ${frame}`}
      aria-valuemin={0}
      aria-valuemax={last}
      aria-valuenow={to ?? frame}
      aria-orientation="horizontal"
      style={style}
      {...handle}
    />
  );
}

interface EdgeProps {
  label: string;
  /** The frame that is marked, and by how much what it limits lies beyond it. */
  value: number;
  beyond: 0 | 1;
  last: number;
  at: () => { x: number; y: number };
  move: (to: number) => void;
  toFrame: (x: number) => number;
}

function Edge({ label, value, beyond, last, at, move, toFrame }: EdgeProps) {
  const handle = useHandle({
    at,
    onMove: ({ x }) => move(toFrame(x) + beyond),
    onStep: (across, down) => move(value + beyond + across - down),
    onRest: () => undefined,
  });
  return (
    <div
      className="edge"
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={last}
      aria-valuenow={value}
      aria-orientation="horizontal"
      style={{ left: `${(value / last) * 100}%` }}
      {...handle}
    />
  );
}

function numbersIn(list: string): number[] {
  return list === "" ? [] : list.split(",").map(Number);
}

/** Frames in order as runs without gaps, from the first to the last of each. */
function runsOf(frames: number[]): [number, number][] {
  const runs: [number, number][] = [];
  for (const frame of frames) {
    const last = runs.at(-1);
    if (last && last[1] === frame - 1) last[1] = frame;
    else runs.push([frame, frame]);
  }
  return runs;
}
