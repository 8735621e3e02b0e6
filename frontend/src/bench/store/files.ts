import type { StoreApi } from "zustand";
import { api, asForm, said, type KeptFile } from "../../api/client";
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
    /** Keeps a picture with the plate, or one of those in a file that holds several; null where it was refused. */
    bring: async (file: File, anyShape: boolean, layer = ""): Promise<KeptFile | null> => {
      const { data, error } = await api.POST("/api/plates/{plate_id}/files", {
        params: { path, query: { any_shape: anyShape, layer } },
        ...asForm(file),
      });
      if (!data) {
        warn(said(error));
        return null;
      }
      store.setState((s) => ({ files: { ...s.files, [data.name]: data.file_name } }));
      onCame();
      return data;
    },
  };
}
