import type { StoreApi } from "zustand";
import { api, asForm, said } from "../../api/client";
import type { Board } from "../../ui/Notices";
import type { State } from "./state";

export type Files = ReturnType<typeof makeFiles>;

/** The files that settings may name, which are kept with the plate, and a way to bring one more in. */
export function makeFiles(store: StoreApi<State>, { warn }: Board, onCame: () => void) {
  const path = { plate_id: store.getState().plate.id };
  return {
    load: () =>
      api.GET("/api/plates/{plate_id}/files", { params: { path } }).then(
        ({ data }) => data && store.setState({ files: data.names }),
        // The bench says that the service is away.
        () => undefined,
      ),
    /** Keeps a picture with the plate; its name for settings, or null where it was refused. */
    bring: async (file: File, anyShape: boolean): Promise<string | null> => {
      const { data, error } = await api.POST("/api/plates/{plate_id}/files", {
        params: { path, query: { any_shape: anyShape } },
        ...asForm(file),
      });
      if (!data) {
        warn(said(error));
        return null;
      }
      store.setState((s) => ({ files: { ...s.files, [data.name]: data.file_name } }));
      onCame();
      return data.name;
    },
  };
}
