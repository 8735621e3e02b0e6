import type { ReactNode } from "react";
import type { GroupInfo, KindInfo } from "../../../api/client";
import type { LiveTools } from "../settings/LiveGroup";

/** What the column shows of a stage of a light, below its head. */
export interface BodyProps {
  id: string;
  kind: KindInfo;
  group: GroupInfo;
  tools: LiveTools;
  /** The settings of the stage, drawn. */
  settings: ReactNode;
}
