import { useEffect, useMemo, useState } from "react";
import { call, said, sendFile, type Plate, type Rig } from "../api/client";
import { useNotices } from "../ui/Notices";
import type { Things } from "./things";

/** The mattes and files that settings may name, and a way to bring one more file in. */
export function useKeptFiles(plate: Plate, rig: Rig, onCame: () => void): Things {
  const { warn } = useNotices();
  const [files, setFiles] = useState<Record<string, string>>({});
  useEffect(() => {
    call("get", "/api/plates/{plate_id}/files", { path: { plate_id: plate.id } }).then(
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
        const { data, error } = await sendFile(plate.id, file, anyShape);
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
