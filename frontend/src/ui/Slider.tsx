import { Slider as AriaSlider, SliderThumb, SliderTrack } from "react-aria-components";
import styled from "styled-components";
import { focusRing, tone } from "./theme";

const Frame = styled(AriaSlider)`
  width: 100%;
  height: 18px;
  display: flex;
  align-items: center;
`;

const Track = styled(SliderTrack)`
  position: relative;
  width: 100%;
  height: 18px;
  &::before {
    content: "";
    position: absolute;
    inset: 8px 0;
    border-radius: 1px;
    background: ${tone.line};
  }
`;

const Fill = styled.span`
  position: absolute;
  top: 8px;
  height: 2px;
  background: ${tone.faint};
`;

const Origin = styled.span`
  position: absolute;
  top: 5px;
  width: 1px;
  height: 8px;
  background: ${tone.faint};
`;

const Thumb = styled(SliderThumb)`
  top: 50%;
  width: 7px;
  height: 15px;
  border-radius: 2px;
  background: ${tone.text};
  &[data-hovered] {
    background: ${tone.strong};
  }
  &[data-dragging] {
    background: ${tone.accent};
  }
  &[data-focus-visible] {
    ${focusRing}
  }
`;

interface Props {
  label: string;
  value: number;
  low: number;
  high: number;
  step: number;
  exponent?: number;
  origin?: number;
  onChange: (value: number) => void;
  onRest: () => void;
}

const FINE = 1000;
const arrows: Record<string, number> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 };

/** A slider whose value is a power of its travel, so that small values get more of it. */
export function Slider({ label, value, low, high, step, exponent = 1, origin, onChange, onRest }: Props) {
  const travelOf = (v: number) => Math.pow((v - low) / (high - low), 1 / exponent);
  const valueAt = (travel: number) => {
    const raw = low + (high - low) * Math.pow(travel, exponent);
    return Math.min(high, Math.max(low, Number((Math.round(raw / step) * step).toFixed(6))));
  };
  const travel = travelOf(Math.min(high, Math.max(low, value)));
  const from = origin === undefined ? 0 : travelOf(Math.min(high, Math.max(low, origin)));
  // Arrow keys go by the setting's own step where that is finer or coarser than the travel's.
  const arrow = (direction: number) => onChange(Math.min(high, Math.max(low, Number((value + direction * step).toFixed(6)))));
  return (
    <div
      style={{ width: "100%" }}
      onKeyDownCapture={(event) => {
        const direction = arrows[event.key];
        if (direction === undefined) return;
        event.preventDefault();
        event.stopPropagation();
        arrow(direction * (event.shiftKey ? 10 : 1));
        onRest();
      }}
    >
      <Frame
        aria-label={label}
        value={travel * FINE}
        minValue={0}
        maxValue={FINE}
        step={1}
        onChange={(v) => onChange(valueAt(Number(v) / FINE))}
        onChangeEnd={onRest}
      >
        <Track>
          <Fill style={{ left: `${Math.min(from, travel) * 100}%`, width: `${Math.abs(travel - from) * 100}%` }} />
          {from > 0 && from < 1 && <Origin style={{ left: `${from * 100}%` }} />}
          <Thumb aria-valuetext={String(value)} />
        </Track>
      </Frame>
    </div>
  );
}
