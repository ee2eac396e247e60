import { z } from 'zod';

/** Processes of one event, at most: the busiest. */
export const MOST_PROCESSES = 30;

const amount = z.coerce.number().min(0).max(1e18).default(0);

/** A process, or all of one name that belong together, as an agent on the host saw it. */
export const hostProcess = z.object({
  name: z.string().min(1).max(200),
  pid: z.coerce.number().int().min(0).default(0),
  /** In the mean since the last look. */
  cores: amount,
  /** Cores that it could have used had there been enough. */
  wants: amount,
  /** Bytes. */
  memory: amount,
  /** Bytes a second. */
  reads: amount,
  writes: amount,
  /** Its container, pod or virtual machine; empty when it is the host's own. */
  container: z.string().max(300).default(''),
  /** The job that started it. */
  job: z.string().max(300).default(''),
});

export type HostProcess = z.output<typeof hostProcess>;
