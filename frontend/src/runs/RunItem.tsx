import styled from "styled-components";
import type { RunState } from "../api/client";
import { go } from "../route";
import { Button } from "../ui/Button";
import { SmallPlate } from "../ui/SmallPlate";
import { oneLine, tone } from "../ui/theme";
import { fileOf } from "./saving";

type Item = RunState["run"]["items"][number];

const Cell = styled.article`
  display: grid;
  gap: 4px;
  align-content: start;
  h3 {
    font-size: 13px;
    color: ${tone.strong};
    ${oneLine}
  }
  p {
    color: ${tone.faint};
    font-size: 12px;
    user-select: text;
  }
  .wrong {
    color: ${tone.danger};
  }
  .row {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: 6px;
  }
  a {
    color: ${tone.accent};
  }
`;

const WORDS: Record<Item["state"], string> = {
  waiting: "Waiting",
  working: "Being made…",
  done: "Done",
  failed: "Failed",
  cancelled: "Cancelled",
};

function size(bytes: number): string {
  return bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))}\u00a0kB` : `${(bytes / 1e6).toFixed(1)}\u00a0MB`;
}

/** Which frames of a reel. */
function framesOf({ first, last }: Item): string {
  if (last === 0) return "";
  return last - first === 1 ? `, frame ${first}` : `, frames ${first}–${last - 1}`;
}

/** A plate of a run: its picture as it is now, how it stands, its file, and the way to its bench. */
export function RunItem({ run, item }: { run: number; item: Item }) {
  const failed = item.state === "failed";
  // The picture of the plate as it stands; that of a plate whose turn is still to come is the one it had.
  const at = item.state === "done" ? "" : "&at_once=true";
  // That of a frame which was made is of that frame.
  const frame = item.state === "done" && item.last - item.first === 1 ? `&frame=${String(item.first)}` : "";
  return (
    <Cell aria-label={item.plate_name}>
      <SmallPlate
        $faint={item.state === "waiting" || item.state === "cancelled"}
        src={`/api/plates/${item.plate}/thumbnail?revision=${item.thumbnail_of}${at}${frame}`}
        alt=""
        loading="lazy"
        draggable={false}
      />
      <div className="row">
        <h3>
          {item.plate_name}
          {framesOf(item)}
        </h3>
        <Button weight="bare" aria-label={`Open ${item.plate_name} on the bench`} onPress={() => go(`/plates/${item.plate}`)}>
          Open
        </Button>
      </div>
      <p className={failed ? "wrong" : undefined}>
        {failed ? item.says : WORDS[item.state]}
        {item.file_name && (
          <>
            {" · "}
            <a href={fileOf(run, item.id)} download={item.file_name}>
              {item.file_name}
            </a>{" "}
            {size(item.file_size)}
          </>
        )}
      </p>
      {!failed && item.says && <p>{item.says}</p>}
    </Cell>
  );
}
