import { useState } from "react";
import { call, said, type Light, type Plate, type Proposal } from "../api/client";
import { useNotices } from "../ui/Notices";
import { rounded, type Places, type Spot } from "./places";
import { withValues } from "./rig";
import type { Editing } from "./useEditing";

/** Proposes where the picture's light comes from; one that is accepted sets place and colour of a light. */
export function useFinder(plate: Plate, { newest, edit }: Editing, onFound: (places: Spot[]) => void) {
  const { say, warn } = useNotices();
  const [proposals, setProposals] = useState<Proposal[] | null>(null);
  return {
    proposals,
    dismiss: () => setProposals(null),
    find: () => {
      call("post", "/api/plates/{plate_id}/finder", { path: { plate_id: plate.id }, body: { rig: newest.current } }).then(
        ({ data, error }) => {
          if (!data) {
            warn(said(error));
            return;
          }
          setProposals(data.ranked);
          if (data.ranked.length === 0) say("Nothing in the picture says where its light comes from; place the light by eye.");
          else onFound(data.ranked.map((p) => p.place));
        },
        () => warn("The light was not looked for: the service does not answer."),
      );
    },
    accept: (proposal: Proposal, light: Light, { positions, lists }: Places) => {
      setProposals(null);
      const spot = rounded(proposal.place);
      const first = positions[0];
      const placed = first
        ? withValues(newest.current, { light: light.id, stage: "spread" }, { [first.setting.name]: spot })
        : lists
          ? withValues(newest.current, { light: light.id, stage: "source" }, { placed: [...lists.placed, spot] })
          : newest.current;
      const colour = { origin: "temperature", temperature: proposal.temperature, tint: proposal.tint };
      edit(withValues(placed, { light: light.id, stage: "colour" }, colour), `${light.name}: light from the picture`);
    },
  };
}
