import type { StoreApi } from "zustand";
import { api, type Area } from "../../api/client";
import type { Editing } from "./editing";
import { remember, rememberedNames } from "./remembered";
import { lightOf, withLight } from "./rig";
import type { State } from "./state";

const DISMISSED = "dismissed-areas";

export type Areas = ReturnType<typeof makeAreas>;

/** The areas that are proposed for a plate, and what a light stands behind. */
export function makeAreas(store: StoreApi<State>, { ask, edit, now }: Editing) {
  const plateId = store.getState().plate.id;
  const named = (area: Area) => `${plateId}.${area.name}`;
  const take = (area: Area, light: string | null) => ask({ do: "take-area", area: area.name, box: area.box ?? null, light });
  return {
    /** Asked for once a first picture has come, so that nothing waits for them. */
    load: () =>
      api.GET("/api/plates/{plate_id}/areas", { params: { path: { plate_id: plateId } } }).then(
        ({ data }) => {
          const gone = rememberedNames(DISMISSED);
          if (data) store.setState({ proposed: data.filter((area) => area.sure && !gone.includes(named(area))) });
        },
        // The service is away, which the preview says.
        () => undefined,
      ),
    take,
    dismiss: (area: Area) => {
      remember(DISMISSED, [...rememberedNames(DISMISSED), named(area)]);
      store.setState((s) => ({ proposed: s.proposed.filter((one) => one !== area) }));
    },
    standBehind: (id: string, matte: string) => {
      const light = lightOf(now(), id);
      if (light)
        edit(
          withLight(now(), id, (one) => ({ ...one, behind: { ...one.behind, matte } })),
          `${light.name}: behind`,
        );
    },
  };
}

/** Those that are not among the mattes already. */
export function stillProposed(s: State): Area[] {
  const names = s.rig.mattes.map((matte) => matte.name);
  return s.proposed.filter((area) => !names.includes(area.title));
}
