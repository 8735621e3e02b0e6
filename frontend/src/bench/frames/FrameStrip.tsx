import styled from "styled-components";
import { Button, Toggle } from "../../ui/Button";
import { Icon } from "../../ui/Icon";
import { NumberField } from "../../ui/NumberField";
import { Progress } from "../../ui/Progress";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { cutsNow } from "../store/selectors";
import { FrameTrack } from "./FrameTrack";

const Strip = styled.section<{ $sound: boolean }>`
  grid-area: frames;
  height: 40px;
  zoom: var(--scale);
  min-width: 0;
  position: relative;
  display: grid;
  grid-template-columns: auto auto auto 62px auto ${({ $sound }) => ($sound ? "auto" : "")} minmax(0, 1fr) 150px;
  align-items: center;
  gap: 4px;
  padding: 0 10px;
  background: ${tone.panel};
  border-top: 1px solid ${tone.line};
  p {
    text-align: right;
    color: ${tone.faint};
    font-size: 12px;
    white-space: nowrap;
  }
`;

const Going = styled.div`
  position: absolute;
  right: 10px;
  bottom: 0;
  min-height: 100%;
  display: grid;
  grid-template-columns: 210px auto;
  align-items: center;
  padding: 2px 4px 2px 10px;
  background: ${tone.panel};
`;

/** What waits for its turn. */
const Waiting = styled.p`
  display: contents;
  span {
    overflow: hidden;
    text-align: left;
    text-overflow: ellipsis;
  }
`;

function clock(seconds: number): string {
  const minutes = Math.floor(seconds / 60);
  return `${minutes}:${(seconds - minutes * 60).toFixed(2).padStart(5, "0")}`;
}

/** The frames of a reel: play, step, go to one, and where the reel begins and ends. */
export function FrameStrip() {
  const { frames } = useBench();
  const frame = useNow((s) => s.frame);
  const playing = useNow((s) => s.playing);
  const cut = useNow((s) => cutsNow(s).includes(s.frame));
  const sound = useNow((s) => (s.reel?.sound ? s.sound : null));
  return (
    <Strip aria-label="Frames" $sound={sound !== null}>
      <Button weight="bare" aria-label="One frame back" hint="One frame back (Ctrl ←)" onPress={() => frames.step(-1)}>
        <Icon name="stepBack" />
      </Button>
      <Toggle weight="bare" aria-label="Play" hint="Play or stop (P)" isSelected={playing} onChange={frames.play}>
        <Icon name={playing ? "still" : "run"} />
      </Toggle>
      <Button weight="bare" aria-label="One frame on" hint="One frame on (Ctrl →)" onPress={() => frames.step(1)}>
        <Icon name="stepOn" />
      </Button>
      <NumberField label="Frame" value={frame} low={0} high={frames.last} step={1} shown={String} read={Number} onCommit={frames.to} />
      <Toggle
        weight="bare"
        aria-label="A shot begins here"
        hint={cut ? "A shot begins at this frame; press to join it with the one before" : "Cuts the reel: a shot begins at this frame"}
        isSelected={cut}
        isDisabled={frame === 0}
        onChange={frames.turnCut}
      >
        <Icon name="cut" />
      </Toggle>
      {sound !== null && (
        <Toggle
          weight="bare"
          aria-label="Sound"
          hint={sound ? "The sound is heard while frames come in time" : "The reel is played without its sound"}
          isSelected={sound}
          onChange={frames.hear}
        >
          <Icon name="sound" />
        </Toggle>
      )}
      <FrameTrack />
      <Told />
    </Strip>
  );
}

function Stop({ task }: { task: { label: string; stop: () => void } }) {
  return (
    <Button weight="bare" aria-label={`Stop: ${task.label}`} onPress={task.stop}>
      ×
    </Button>
  );
}

/** When the frame is seen, and whether of a proxy; while the reel is played, how many are seen a second; how far something is that goes
    over all frames. */
function Told() {
  const tasks = useNow((s) => s.tasks);
  const text = useNow((s) => {
    if (!s.reel) return "";
    const whole = Math.round(s.reel.fps);
    const fps = Math.abs(s.reel.fps - whole) < 0.02 ? whole : s.reel.fps.toFixed(2);
    if (s.playing) return s.rate === null ? "getting ready…" : `${s.rate} of ${fps} a second${s.proxy ? ", proxy" : ""}`;
    if (s.proxy) return `Proxy ${s.proxy}`; // in the place of the time, so that the track stays as it is under the hand
    return `${clock(s.reel.times[s.frame] ?? 0)} of ${clock(s.reel.end)}`;
  });
  const [work, ...waiting] = tasks;
  if (work)
    return (
      <Going>
        <Progress label={work.label} share={work.share} />
        <Stop task={work} />
        {waiting.map((task, before) => (
          <Waiting key={before} role="status">
            <span>
              {before + 2}. {task.label}
            </span>
            <Stop task={task} />
          </Waiting>
        ))}
      </Going>
    );
  return <p role="status">{text}</p>;
}
