import { ProgressBar } from "react-aria-components";
import styled from "styled-components";
import { tone } from "./theme";

const Frame = styled(ProgressBar)`
  display: grid;
  gap: 4px;
  color: ${tone.faint};
  .track {
    height: 4px;
    border-radius: 2px;
    background: ${tone.line};
    overflow: hidden;
  }
  .done {
    height: 100%;
    background: ${tone.accent};
  }
  .text {
    display: flex;
    justify-content: space-between;
  }
`;

export function Progress({ label, share, note }: { label: string; share: number; note?: string | undefined }) {
  return (
    <Frame aria-label={label} value={share * 100}>
      <div className="text">
        <span>{label}</span>
        <span>{note ?? `${Math.round(share * 100)} %`}</span>
      </div>
      <div className="track">
        <div className="done" style={{ width: `${share * 100}%` }} />
      </div>
    </Frame>
  );
}
