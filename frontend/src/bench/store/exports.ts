import type { StoreApi } from "zustand";
import { api, follow, said, whyOf, type AnyExport, type Job, type Rig } from "../../api/client";
import type { Board } from "../../ui/Notices";
import { keepExport } from "./exporting";
import { forgetRemembered, remember, remembered } from "./remembered";
import { atFrame } from "./selectors";
import type { State } from "./state";

const LOST = "The export is no longer there: the service was stopped, or it was made too long ago. Export again.";

export type Exports = ReturnType<typeof makeExports>;

export function isGoing(job: Job | null): boolean {
  return job?.state === "waiting" || job?.state === "working";
}

/** Fetches the file that a job made. */
function fetchFile(job: Job): void {
  if (!job.file_name) return;
  const link = document.createElement("a");
  link.href = `/api/jobs/${job.id}/file`;
  link.download = job.file_name;
  link.click();
}

/** The export of a picture. It goes on while its dialog is shut and while the page is away, which finds it again. */
export function makeExports(store: StoreApi<State>, board: Board) {
  const kept = `export-job.${store.getState().plate.id}`;
  let mine: AbortController | null = null;

  const end = (wrong: string | null) => {
    mine = null;
    forgetRemembered(kept);
    store.setState((s) => ({ exported: wrong === null ? s.exported : null, exportWrong: wrong }));
  };
  /** Follows a job to its end; whether it made a file. */
  const attend = async (job: Job): Promise<Job | null> => {
    const leaving = (mine = new AbortController());
    remember(kept, job.id);
    let last = job;
    store.setState({ exported: job, exportWrong: null });
    try {
      await follow(job, (news) => store.setState({ exported: (last = news.job) }), leaving.signal, false);
    } catch (error) {
      // Left: the next page finds it again.
      if (leaving.signal.aborted) return null;
      if (error instanceof DOMException) {
        store.setState({ exported: null });
        end(null);
      } else end(whyOf(error));
      return null;
    }
    end(null);
    return last;
  };
  return {
    /** Begins one; it is fetched as soon as it is made. */
    begin: async (rig: Rig, choice: AnyExport) => {
      store.setState({ exported: null, exportWrong: null });
      const started = await api
        .POST("/api/plates/{plate_id}/exports", { params: atFrame(store.getState()), body: { rig, export: choice } })
        .catch((error: unknown) => ({ data: undefined, error: { error: `The export did not begin. ${whyOf(error)}` } }));
      if (!started.data) {
        store.setState({ exportWrong: said(started.error) });
        return;
      }
      // What was refused is not what is wanted the next time.
      keepExport(choice);
      const made = await attend(started.data);
      if (!made) return;
      fetchFile(made);
      if (store.getState().dialog !== "export") board.say(`${made.file_name ?? "The export"} is ready.`);
    },
    cancel: () => {
      const { exported } = store.getState();
      if (exported && isGoing(exported)) void api.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: exported.id } } });
    },
    /** Puts aside what became of the last one. */
    forget: () => store.setState((s) => ({ exported: isGoing(s.exported) ? s.exported : null, exportWrong: null })),
    /** Takes up one that a page before this began; what comes back leaves it alone. */
    resume: () => {
      const id = remembered(kept);
      const find = async () => {
        if (typeof id !== "string") return;
        const { data, response } = await api.GET("/api/jobs/{job_id}", { params: { path: { job_id: id } } });
        if (!data) {
          if (response.status === 404) {
            board.warn(LOST);
            forgetRemembered(kept);
          }
          return;
        }
        const made = await attend(data);
        if (made?.file_name) board.say(`${made.file_name} is ready.`, { text: "Save it", act: () => fetchFile(made) });
      };
      void find();
      return () => mine?.abort();
    },
  };
}
