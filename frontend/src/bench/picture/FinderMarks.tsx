import styled from "styled-components";
import type { Proposal } from "../../api/client";
import { tone } from "../../ui/theme";
import { useBench, useLightId, useNow } from "../store/bench";
import { isClear, placementAtOrigin } from "../store/selectors";
import { Layer } from "./handles/Overlay";
import { toScreen } from "./view";

const Marks = styled(Layer)`
  g {
    pointer-events: all;
    cursor: pointer;
    outline: none;
  }
  .ring {
    fill: none;
    stroke: #fff;
    stroke-width: 1.5;
  }
  .edge {
    fill: none;
    stroke: rgb(0 0 0 / 0.6);
    stroke-width: 4;
  }
  g:hover .ring,
  g:focus-visible .ring {
    stroke: ${tone.accent};
    stroke-width: 2.5;
  }
  .why {
    visibility: hidden;
    pointer-events: none;
  }
  g:hover .why,
  g:focus-visible .why {
    visibility: visible;
  }
  text {
    fill: ${tone.strong};
    font-size: 12px;
    paint-order: stroke;
    stroke: rgb(0 0 0 / 0.75);
    stroke-width: 3px;
  }
`;

const clues: Record<string, string> = {
  "bright spot": "a bright spot",
  streaks: "streaks lead here",
  "lit sides": "things are lit from here",
  "long shadows": "shadows point away from here",
};

/** Where light may come from, as marks in its colour: one press sets the light there. */
export function FinderMarks() {
  const { now, finder } = useBench();
  const light = useLightId();
  const placement = useNow(placementAtOrigin);
  const tool = useNow((s) => s.hand.tool);
  const clear = useNow(isClear);
  const { plate } = now();
  if (tool.is !== "finder" || !placement || !light || !clear) return null;
  const { proposals } = tool;
  // What is said of a mark goes toward the middle, where there is room.
  const isRight = ({ place }: Proposal) => place[0] > 0.5;
  const onAccept = (proposal: Proposal) => finder.accept(proposal, light);
  return (
    <Marks role="group" aria-label="Where the light may come from">
      {proposals.map((proposal, k) => {
        const at = toScreen(placement, plate, proposal.place);
        const off = proposal.error == null ? "" : `, give or take ${Math.round(proposal.error)}°`;
        const text = `${clues[proposal.clue] ?? proposal.clue}${off}, ${Math.round(proposal.confidence * 100)} % sure, ${proposal.temperature} K`;
        return (
          <g
            key={k}
            role="button"
            tabIndex={0}
            aria-label={`Set the light here: ${text}`}
            transform={`translate(${at.x} ${at.y})`}
            onPointerDown={(event) => event.stopPropagation()}
            onClick={() => onAccept(proposal)}
            onKeyDown={(event) => {
              if (event.key !== "Enter" && event.key !== " ") return;
              event.preventDefault();
              event.stopPropagation();
              onAccept(proposal);
            }}
          >
            <rect className="edge" x={-9} y={-9} width={18} height={18} transform="rotate(45)" />
            <rect
              x={-9}
              y={-9}
              width={18}
              height={18}
              transform="rotate(45)"
              fill={proposal.colour}
              fillOpacity={0.35 + 0.65 * proposal.confidence}
              className="ring"
              style={{ fill: proposal.colour }}
            />
            <text x={17} y={4}>
              {k + 1}
            </text>
            <text className="why" x={isRight(proposal) ? -17 : 29} y={4} textAnchor={isRight(proposal) ? "end" : "start"}>
              {text}
            </text>
          </g>
        );
      })}
    </Marks>
  );
}
