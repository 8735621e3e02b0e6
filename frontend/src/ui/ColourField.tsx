import {
  Button,
  ColorArea,
  ColorField,
  ColorPicker,
  ColorSlider,
  ColorSwatch,
  ColorThumb,
  DialogTrigger,
  Input,
  SliderTrack,
  parseColor,
} from "react-aria-components";
import styled from "styled-components";
import { Sheet } from "./Select";
import { focusRing, tone } from "./theme";

const Field = styled(Button)`
  display: flex;
  align-items: center;
  gap: 6px;
  height: 24px;
  padding: 0 6px 0 3px;
  border: 1px solid ${tone.line};
  border-radius: 3px;
  background: ${tone.raised};
  color: ${tone.text};
  font: inherit;
  &[data-focus-visible] {
    ${focusRing}
  }
`;

const Swatch = styled(ColorSwatch)`
  width: 30px;
  height: 16px;
  border-radius: 2px;
`;

const Panel = styled.div`
  display: grid;
  gap: 10px;
  padding: 12px;
  .area {
    width: 190px;
    height: 130px;
    border-radius: 3px;
  }
  .track {
    width: 190px;
    height: 16px;
    border-radius: 3px;
  }
  .thumb {
    width: 14px;
    height: 14px;
    border: 2px solid white;
    border-radius: 50%;
    box-shadow: 0 0 0 1px black;
  }
  .track .thumb {
    top: 50%;
  }
  input {
    width: 100%;
    height: 24px;
    background: ${tone.base};
    color: ${tone.text};
    border: 1px solid ${tone.line};
    font: inherit;
    padding: 0 6px;
    user-select: text;
  }
`;

interface Props {
  label: string;
  value: string;
  onChange: (value: string) => void;
  onRest: () => void;
}

/** A colour picked by eye or typed as hexadecimal sRGB. */
export function ColourField({ label, value, onChange, onRest }: Props) {
  return (
    <ColorPicker value={parseColor(value)} onChange={(colour) => onChange(colour.toString("hex").toLowerCase())}>
      <DialogTrigger onOpenChange={(open) => !open && onRest()}>
        <Field aria-label={`${label}: ${value}`}>
          <Swatch />
          {value}
        </Field>
        <Sheet>
          <Panel>
            <ColorArea
              className="area"
              colorSpace="hsb"
              xChannel="saturation"
              yChannel="brightness"
              aria-label={`${label}, saturation and brightness`}
            >
              <ColorThumb className="thumb" />
            </ColorArea>
            <ColorSlider colorSpace="hsb" channel="hue" aria-label={`${label}, hue`}>
              <SliderTrack className="track">
                <ColorThumb className="thumb" />
              </SliderTrack>
            </ColorSlider>
            <ColorField aria-label={`${label}, hexadecimal`}>
              <Input />
            </ColorField>
          </Panel>
        </Sheet>
      </DialogTrigger>
    </ColorPicker>
  );
}
