import type { StoreApi } from "zustand";
import { api, said, type Proposal } from "../../api/client";
import type { Board } from "../../ui/Notices";
import type { Editing } from "./editing";
import { handled } from "./hand";
import type { Spot } from "./places";
import { atFrame } from "./selectors";
import type { State } from "./state";

export type Finder = ReturnType<typeof makeFinder>;

/** Proposes where the picture's light comes from; one that is taken sets place and colour of a light. */
export function makeFinder(store: StoreApi<State>, { ask }: Editing, { say, warn }: Board, onFound: (places: Spot[]) => void) {
  return {
    find: () => {
      const { rig } = store.getState();
      api.POST("/api/plates/{plate_id}/finder", { params: atFrame(store.getState()), body: { rig } }).then(
        ({ data, error }) => {
          if (!data) {
            warn(said(error));
            return;
          }
          const proposals = data.ranked ?? [];
          if (proposals.length === 0) {
            say("Nothing in the picture shows where its light comes from; place the light by eye.");
            return;
          }
          store.setState((s) => ({ hand: handled(s.hand, { do: "take up", tool: { is: "finder", proposals } }) }));
          onFound(proposals.map((p) => p.place));
        },
        () => warn("The light could not be looked for: the service does not answer."),
      );
    },
    accept: ({ place, temperature, tint }: Proposal, light: string) => {
      store.setState((s) => ({ hand: handled(s.hand, { do: "put down" }) }));
      ask({ do: "take-proposal", light, place, temperature, tint });
    },
  };
}
