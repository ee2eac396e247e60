/** A run of a job. */
export interface JobRun {
  /** Epoch milliseconds; the end is null while it runs. */
  readonly from: number;
  readonly to: number | null;
  readonly message: string;
}

/**
 * Runs from what was reported of a job, in order of time: it `began`, and was `done` or `failed`. What was only reported when it was done is a run
 * without length.
 */
export function jobRuns(events: readonly { readonly at: number; readonly reason: string; readonly message: string }[]): JobRun[] {
  const runs: JobRun[] = [];
  let open: number | undefined;
  const close = (to: number | null, message: string) => {
    if (open !== undefined) runs.push({ from: open, to, message });
    open = undefined;
  };
  for (const { at, reason, message } of events) {
    if (reason === 'began') {
      close(at, '');
      open = at;
    } else if (open !== undefined) close(at, message);
    else runs.push({ from: at, to: at, message });
  }
  close(null, '');
  return runs;
}
