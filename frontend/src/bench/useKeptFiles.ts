import { useEffect, useMemo, useState } from "react";
import { api, asForm, said, type Plate, type Rig } from "../api/client";
import { useNotices } from "../ui/Notices";
import type { Things } from "./things";

/** The mattes and files that settings may name, and a way to bring one more file in. */
export function useKeptFiles(plate: Plate, rig: Rig, onCame: () => void): Things {
  const { warn } = useNotices();
  const [files, setFiles] = useState<Record<string, string>>({});
  useEffect(() => {
    api.GET("/api/plates/{plate_id}/files", { params: { path: { plate_id: plate.id } } }).then(
      ({ data }) => data && setFiles(data.names),
      // The bench says that the service is away.
      () => undefined,
    );
  }, [plate.id]);
  return useMemo(
    () => ({
      mattes: rig.mattes.map((m) => ({ id: m.id, name: m.name || m.id })),
      files,
      bring: async (file, anyShape) => {
        const params = { path: { plate_id: plate.id }, query: { any_shape: anyShape } };
        const { data, error } = await api.POST("/api/plates/{plate_id}/files", { params, ...asForm(file) });
        if (!data) {
          warn(said(error));
          return null;
        }
        setFiles((all) => ({ ...all, [data.name]: data.file_name }));
        onCame();
        return data.name;
      },
    }),
    [rig.mattes, files, plate.id, warn, onCame],
  );
}
