import styled from "styled-components";
import type { Plate, Proposal } from "../api/client";
import { tone } from "../ui/theme";
import { toScreen, type Placement, type Point } from "./view";

const Layer = styled.svg`
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
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
};

interface Props {
  plate: Plate;
  placement: Placement;
  area: Point;
  proposals: Proposal[];
  onAccept: (proposal: Proposal) => void;
}

/** Where light may come from, as marks in its colour: one press sets the light there. */
export function FinderMarks({ plate, area, placement, proposals, onAccept }: Props) {
  return (
    <Layer role="group" aria-label="Where the light may come from">
      {proposals.map((proposal, k) => {
        const at = toScreen(placement, plate, proposal.place);
        const text = `${clues[proposal.clue] ?? proposal.clue}, ${Math.round(proposal.confidence * 100)} % sure, ${proposal.temperature} K`;
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
            <text className="why" x={at.x > area.x / 2 ? -17 : 29} y={4} textAnchor={at.x > area.x / 2 ? "end" : "start"}>
              {text}
            </text>
          </g>
        );
      })}
    </Layer>
  );
}
