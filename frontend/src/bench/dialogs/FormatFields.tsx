import type { ReactNode } from "react";
import styled from "styled-components";
import type { FormatInfo } from "../../api/client";
import { Select } from "../../ui/Select";

const Pair = styled.div`
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
`;

interface Chosen {
  format: string;
  depth: string;
}

interface Props {
  formats: FormatInfo[];
  chosen: Chosen;
  onChosen: (chosen: Chosen) => void;
  /** What is said of the size, beside format and depth. */
  children: ReactNode;
}

/** The format of a file and its depth, which stays where the format has it. */
export function FormatFields({ formats, chosen, onChosen, children }: Props) {
  const format = formats.find((f) => f.name === chosen.format) ?? formats[0];
  return (
    <Pair>
      <Select
        label="Format"
        value={chosen.format}
        options={formats.map((f) => ({ value: f.name, text: f.title }))}
        onChange={(name) => {
          const next = formats.find((f) => f.name === name);
          const depth = next?.depths.some((d) => d.value === chosen.depth) ? chosen.depth : (next?.depths[0]?.value ?? "");
          onChosen({ format: name, depth });
        }}
      />
      <Select
        label="Depth"
        value={chosen.depth}
        options={format?.depths ?? []}
        onChange={(depth) => onChosen({ format: chosen.format, depth })}
      />
      {children}
    </Pair>
  );
}
