import { useJobs } from "./jobs";
import { useNotices } from "./notices";

/** Changes of one material, each after the one before; what goes wrong is said. */
export function turns<State>(show: (state: State) => unknown): (work: () => Promise<State>) => Promise<boolean> {
  let last: Promise<unknown> = Promise.resolve();
  return (work) => {
    const run = last.then(async () => {
      try {
        await show(await work());
        return true;
      } catch (error) {
        useNotices().complain(error);
        return false;
      }
    });
    last = run;
    return run;
  };
}

/** Wait for the job that puts something on the shelf; gives its id there, or null. */
export async function entered(work: () => Promise<{ job: string }>): Promise<number | null> {
  try {
    const job = await useJobs().ended((await work()).job);
    if (job.state === "failed") useNotices().complain(job.error);
    return job.state === "done" ? (job.result.recording as number) : null;
  } catch (error) {
    useNotices().complain(error);
    return null;
  }
}
