import { ref } from "vue";

import { useInstrument } from "./instrument";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { useNotices } from "./notices";

/** Wait for the job that puts something on the shelf; gives its id there, or null. */
export async function entered(work: () => Promise<{ job: string }>): Promise<number | null> {
  try {
    const job = await useJobs().ended((await work()).job);
    if (job.state === "failed") useNotices().complain(job.error);
    return job.state === "done" ? job.result.recording : null;
  } catch (error) {
    useNotices().complain(error);
    return null;
  }
}

/** What a recipe makes: asked for anew whenever the recipe changed, at hand at once or after a job. */
export function useMaking<Made>(ask: () => Promise<{ made: Made | null; job: string | null }>, see: (made: Made) => void) {
  /** The job that is at it. */
  const working = ref<string | null>(null);
  const problem = ref("");
  let number = 0;

  async function make(): Promise<void> {
    const mine = ++number;
    working.value = null;
    try {
      let answer = await ask();
      if (answer.job && mine === number) {
        working.value = answer.job;
        const job = await useJobs().ended(answer.job);
        if (mine !== number) return;
        working.value = null;
        if (job.state === "failed") throw new Error(job.error);
        if (job.state === "cancelled") throw new Error("Stopped: change a setting or undo, and it is made again.");
        answer = await ask();
      }
      if (mine !== number) return;
      problem.value = "";
      if (answer.made) see(answer.made);
    } catch (error) {
      if (mine === number) problem.value = error instanceof Error ? error.message : String(error);
    }
  }

  function drop(): void {
    number += 1;
    working.value = null;
    problem.value = "";
  }

  return { working, problem, make, drop };
}

/** Give the play strip back to the instrument in hand. */
export function returnStrip(): void {
  const back = useInstrument().document;
  useLive().borrow(null, back ?? undefined);
}
