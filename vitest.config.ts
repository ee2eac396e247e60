import { defineConfig } from 'vitest/config';
import { LongestFirst } from './tests/support/longestFirst.ts';

/** What drives real programs on a busy machine may meet one that stands still: it is tried once more, and the report says which were. */
const ONCE_MORE = { retry: 1 } as const;

export default defineConfig({
  test: {
    sequence: { sequencer: LongestFirst },
    projects: [
      {
        test: {
          name: 'unit',
          include: ['src/**/*.test.ts', 'demo/**/*.test.ts', 'collectors/**/*.test.ts'],
          environment: 'node',
          maxWorkers: 2,
          // Pure computations, which leave nothing behind: files of a worker share its modules, in three fifths of the time.
          isolate: false,
          // No test asserts a time: the limits only end what hangs, also on a machine that is busy otherwise.
          testTimeout: 120_000,
          hookTimeout: 120_000,
        },
      },
      {
        test: {
          name: 'integration',
          isolate: false,
          setupFiles: ['tests/support/freshModules.ts'],
          include: ['tests/integration/**/*.test.ts'],
          globalSetup: ['tests/support/templateCluster.ts'],
          ...ONCE_MORE,
          testTimeout: 300_000,
          hookTimeout: 600_000,
          // Each file has an installation of its own, and many a test waits for one: two alone would leave a processor idle.
          maxWorkers: 3,
          sequence: { groupOrder: 1 },
        },
      },
      {
        test: {
          name: 'browser',
          isolate: false,
          setupFiles: ['tests/support/freshModules.ts'],
          globalSetup: ['tests/support/templateCluster.ts'],
          ...ONCE_MORE,
          sequence: { groupOrder: 2 },
          include: ['tests/browser/**/*.test.ts'],
          testTimeout: 300_000,
          hookTimeout: 600_000,
          maxWorkers: 2,
        },
      },
    ],
  },
});
