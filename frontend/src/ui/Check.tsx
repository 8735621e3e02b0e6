import { CheckboxButton, CheckboxField } from "react-aria-components";
import styled from "styled-components";
import { focusRing, oneLine, tone } from "./theme";

const Box = styled(CheckboxButton)`
  position: relative;
  display: inline-flex;
  align-items: center;
  gap: 6px;
  max-width: 100%;
  min-width: 24px;
  min-height: 24px;
  color: ${tone.text};
  .mark {
    width: 14px;
    height: 14px;
    border: 1px solid ${tone.faint};
    border-radius: 3px;
    display: grid;
    place-items: center;
  }
  &[data-selected] .mark {
    background: ${tone.accent};
    border-color: ${tone.accent};
    color: ${tone.onAccent};
  }
  &[data-hovered] .mark {
    border-color: ${tone.strong};
  }
  @media (forced-colors: active) {
    .mark {
      forced-color-adjust: none;
      border-color: CanvasText;
    }
    &[data-selected] .mark {
      background: Highlight;
      color: HighlightText;
    }
  }
  &[data-focus-visible] .mark {
    ${focusRing}
  }
`;

const Text = styled.span`
  ${oneLine}
`;

interface Props {
  label: string;
  hideLabel?: boolean;
  isSelected: boolean;
  onChange: (now: boolean) => void;
}

/** Something that is so or not. */
export function Check({ label, hideLabel = false, isSelected, onChange }: Props) {
  return (
    <CheckboxField isSelected={isSelected} onChange={onChange} {...(hideLabel ? { "aria-label": label } : {})}>
      <Box>
        <span className="mark" aria-hidden>
          {isSelected && (
            <svg width={10} height={10} viewBox="0 0 10 10" fill="none" stroke="currentColor" strokeWidth={2}>
              <path d="M1.5 5.2 4 7.7 8.5 2.5" />
            </svg>
          )}
        </span>
        {!hideLabel && <Text title={label}>{label}</Text>}
      </Box>
    </CheckboxField>
  );
}
