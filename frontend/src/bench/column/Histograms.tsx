import styled from "styled-components";
import type { Facts } from "../../api/client";
import { tone } from "../../ui/theme";
import { useNow } from "../store/bench";

const Box = styled.figure`
  margin: 0 0 12px;
  display: grid;
  gap: 3px;
  svg {
    width: 100%;
    height: 62px;
    display: block;
    background: ${tone.base};
    border-radius: 2px;
  }
  figcaption {
    display: flex;
    justify-content: space-between;
    color: ${tone.faint};
    font-size: 12px;
  }
`;

type Histogram = Facts["before"];

/** A curve over the bins; the square root keeps small counts in sight. */
function curve(bins: number[]): string {
  const top = Math.max(...bins, 1e-6);
  const points = bins.map((v, i) => `${((i + 0.5) / bins.length) * 100} ${60 - 58 * Math.sqrt(v / top)}`);
  return `M0 60 L${points.join(" L")} L100 60Z`;
}

function One({ name, histogram }: { name: string; histogram: Histogram }) {
  const clipped = histogram.clipped * 100;
  const above = histogram.above_white >= 0.05 ? `, up to +${histogram.above_white.toFixed(1)} EV` : "";
  return (
    <Box aria-label={`Histogram, ${name}`}>
      <svg viewBox="0 0 100 60" preserveAspectRatio="none" style={{ isolation: "isolate" }} aria-hidden>
        {(
          [
            ["red", "#c8524a"],
            ["green", "#4f9e57"],
            ["blue", "#4f74c8"],
          ] as const
        ).map(([channel, colour]) => (
          <path key={channel} d={curve(histogram[channel])} fill={colour} style={{ mixBlendMode: "screen" }} />
        ))}
      </svg>
      <figcaption>
        <span>{name}</span>
        <span>{clipped < 0.005 ? "nothing clipped" : `${clipped.toFixed(2)} % clipped${above}`}</span>
      </figcaption>
    </Box>
  );
}

/** The picture's tones before and after all light. */
export function Histograms() {
  const facts = useNow((s) => s.facts);
  if (!facts) return null;
  return (
    <div>
      <One name="Before" histogram={facts.before} />
      <One name="After" histogram={facts.after} />
    </div>
  );
}
