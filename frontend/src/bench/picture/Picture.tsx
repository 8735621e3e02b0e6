import styled from "styled-components";
import { Button } from "../../ui/Button";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { isClear, lightNow, maskNow, matteNow, ownerNow, partIndexNow, partNow, placementNow } from "../store/selectors";
import { HANDLES } from "../store/hand";
import { lightIdNow } from "../store/selectors";

import { BrushLayer } from "./BrushLayer";
import { CompareBar } from "./CompareBar";
import { CropHandles } from "./CropHandles";
import { Drawn } from "./Drawn";
import { EdgePointers } from "./EdgePointers";
import { FinderMarks } from "./FinderMarks";
import { DistanceLayers } from "./DistanceLayers";
import { LightLayers } from "./LightLayers";
import { MaskLayers } from "./MaskLayers";
import { PictureArea } from "./PictureArea";
import { SplitLine } from "./SplitLine";
import { ViewNote } from "./ViewNote";
import { levelled, toPlate } from "./view";

const Middle = styled.main`
  grid-area: picture;
  position: relative;
  display: grid;
  min-height: 0;
  min-width: 0;
`;

const Flag = styled.div`
  zoom: var(--scale);
  position: absolute;
  left: 12px;
  top: 10px;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 2px 4px 2px 10px;
  min-height: 26px;
  border-radius: 3px;
  background: rgb(20 20 20 / 0.8);
  color: ${tone.strong};
`;

/** The picture with everything that lies on it. */
export function Picture() {
  const exact = useNow((s) => s.exact);
  return (
    <Middle data-exact={exact ? "yes" : "no"} data-testid="picture" aria-label="Picture">
      <PictureArea over={<Over />}>
        <Tools />
        <DistanceLayers />
        <LightLayers />
        <MaskLayers />
        <FinderMarks />
      </PictureArea>
      <Shown />
      <ViewNote />
      <Trouble />
    </Middle>
  );
}

/** What lies over the area and does not move with the plate. */
function Over() {
  const way = useNow((s) => s.comparison?.way ?? null);
  return (
    <>
      {way === "split" && <SplitLine />}
      {way && <CompareBar />}
      <EdgePointers />
    </>
  );
}

/** What the plate's own tools draw. */
function Tools() {
  const { now, take, editing, lights, sketching } = useBench();
  const strokes = useNow((s) => s.sketch.strokes);
  const tried = useNow((s) => s.sketch.tried !== null);
  const tool = useNow((s) => s.hand.tool.is);
  const clear = useNow(isClear);
  if (!clear) return null;
  if (tool === "crop") return <CropHandles />;
  if (tool === "sketch")
    return <BrushLayer hints={null} marks={strokes} faint={tried} label="Paint where light should fall" onDrop={sketching.drop} />;
  if (tool === "horizon")
    return (
      <Drawn
        line
        label="Draw along the horizon"
        onDone={(from, to) => {
          const { rig } = now();
          take(HANDLES);
          const straighten = levelled(rig.prepare.straighten, from, to);
          if (straighten !== null) editing.edit(editing.valued("prepare", { straighten }), "Straighten");
        }}
      />
    );
  if (tool === "stand")
    return (
      <Drawn
        label="Click what the light should stand at"
        onDone={(_, at) => {
          const s = now();
          const placement = placementNow(s);
          const light = lightIdNow(s);
          if (light && placement) lights.stand(light, toPlate({ ...placement, x: 0, y: 0 }, s.plate, at));
        }}
      />
    );
  if (tool === "spot")
    return (
      <Drawn
        label="Click where the colour should be matched"
        onDone={(_, at) => {
          const s = now();
          const placement = placementNow(s);
          const light = lightIdNow(s);
          take(HANDLES);
          if (light && placement) lights.match(light, toPlate({ ...placement, x: 0, y: 0 }, s.plate, at));
        }}
      />
    );
  return null;
}

/** Says what is shown, where that is not the picture as it comes out, and what to do with a tool that was taken up. */
function Shown() {
  const { show, masking } = useBench();
  const large = useNow((s) => (s.hand.held === null ? s.large : null));
  const text = useNow((s) => {
    const light = lightNow(s);
    const { held, tool } = s.hand;
    if (held === "before") return "Before";
    if (held === "without") return `Without ${light?.name ?? "this light"}`;
    if (s.strip?.tried) return null;
    if (tool.is === "horizon") return "Draw along something that should be level or upright";
    if (tool.is === "spot") return "Click where the colour should be matched";
    if (tool.is === "stand") return "Click what the light should stand at. Tinted: what is nearer and hides it";
    if (tool.is === "light") return "Paint where light is to fall; hold Shift for a straight stroke, Escape to stop";
    if (s.large === "distance") return "Distance: white is near, black infinitely far";
    if (s.large === "form") return "Form: red faces right, green up, blue the eye";
    if (s.large && light) return `${light.name}: ${s.large}`;
    if (tool.is === "part" && partIndexNow(s) !== null && (tool.fresh || tool.by === "box" || tool.by === "click")) {
      const instruction = masking.info(partNow(s))?.instruction;
      if (instruction) return instruction;
    }
    if (!ownerNow(s) || s.maskView !== "over") return null;
    return matteNow(s) ? "Tinted: the matte" : `Tinted: where the light is ${maskNow(s)?.start === "everything" ? "kept off" : "let in"}`;
  });
  if (!text) return null;
  return (
    <Flag role="status">
      {text}
      {large && (
        <Button weight="bare" onPress={() => show(null)}>
          Back to the picture
        </Button>
      )}
    </Flag>
  );
}

/** Says that the service is away, or cannot make the picture. */
function Trouble() {
  const text = useNow((s) => s.error ?? (s.connected ? null : "Waiting for the service…"));
  return text && <Flag role="alert">{text}</Flag>;
}
