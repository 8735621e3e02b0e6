import type { ComponentType } from "react";
import type { Stage } from "../../../api/client";
import type { BodyProps } from "./body";
import { ColourBody } from "./ColourBody";
import { MaskBody } from "./MaskBody";
import { SourceBody } from "./SourceBody";
import { SpreadBody } from "./SpreadBody";

/** What the column shows of each stage. */
export const stageBodies: Record<Stage, ComponentType<BodyProps>> = {
  source: SourceBody,
  spread: SpreadBody,
  colour: ColourBody,
  mask: MaskBody,
  merge: ({ settings }) => settings,
};
