import { useMemo } from "react";
import type { SettingOf } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { useBench } from "../../store/bench";
import { Levels } from "../Levels";
import type { BodyProps } from "./body";
import { Tools } from "./Tools";

/** The settings, the light's own histogram, and its colour matched to the picture. */
export function ColourBody({ id, group, tools, settings }: BodyProps) {
  const { lights, take } = useBench();
  const ofLevels = useMemo(
    () => group.settings.filter((s): s is SettingOf<"number"> => s.type === "number" && s.handle === "levels"),
    [group],
  );
  return (
    <>
      {settings}
      <Levels id={id} settings={ofLevels} tools={tools} />
      <Tools>
        <Button hint="Matches the light's temperature and tint to the picture at its source" onPress={() => lights.match(id, null)}>
          Match the picture
        </Button>
        <Button weight="bare" hint="Then click the picture where the colour should be matched" onPress={() => take({ is: "spot" })}>
          at a spot…
        </Button>
      </Tools>
    </>
  );
}
