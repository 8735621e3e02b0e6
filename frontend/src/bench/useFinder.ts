import { useState } from "react";
import { api, said, type Light, type Plate, type Proposal } from "../api/client";
import { useNotices } from "../ui/Notices";
import type { Spot } from "./places";
import type { Editing } from "./useEditing";

/** Proposes where the picture's light comes from; one that is taken sets place and colour of a light. */
export function useFinder(plate: Plate, { newest, ask }: Editing, onFound: (places: Spot[]) => void) {
  const { say, warn } = useNotices();
  const [proposals, setProposals] = useState<Proposal[] | null>(null);
  return {
    proposals,
    dismiss: () => setProposals(null),
    find: () => {
      api.POST("/api/plates/{plate_id}/finder", { params: { path: { plate_id: plate.id } }, body: { rig: newest.current } }).then(
        ({ data, error }) => {
          if (!data) {
            warn(said(error));
            return;
          }
          const ranked = data.ranked ?? [];
          setProposals(ranked);
          if (ranked.length === 0) say("Nothing in the picture shows where its light comes from; place the light by eye.");
          else onFound(ranked.map((p) => p.place));
        },
        () => warn("The light could not be looked for: the service does not answer."),
      );
    },
    accept: ({ place, temperature, tint }: Proposal, light: Light) => {
      setProposals(null);
      ask({ do: "take-proposal", light: light.id, place, temperature, tint });
    },
  };
}
