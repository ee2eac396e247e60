import type { Process } from '../simulation/simulation.ts';
import { MINUTE, SECOND } from '../simulation/units.ts';
import { busyHost } from './mechanisms.ts';
import type { Unfolding } from './unfolding.ts';

/** What happens every day and harms nobody. Times in minutes before the end of the data. */
export interface Harmless {
  readonly begins: number;
  readonly ends: number;
  readonly unfold: (it: Unfolding) => Process;
}

const deployment = (begins: number, service: string, version: string): Harmless => ({
  begins,
  ends: begins - 10,
  *unfold(it) {
    yield* it.rollOut(service, version, 2);
  },
});

const DEPLOYMENTS: readonly Harmless[] = [
  deployment(1290, 'vessels', '6.1.1'),
  deployment(1020, 'tidewatch', '1.3.3'),
  deployment(840, 'gangway', '8.2.2'),
  deployment(655, 'holds', '5.11.3'),
  deployment(84, 'fares', '2.14.0'),
];

/** Each host is backed up at night, when it has room. */
const BACKUPS: readonly Harmless[] = ['quay-1', 'quay-2', 'quay-3', 'quay-4'].map((host, at) => ({
  begins: 1210 - 2 * at,
  ends: 1170 - 2 * at,
  *unfold(it) {
    yield* busyHost(it, host, 'backup of all disks', 1.6);
  },
}));

/** What comes every day. */
export const EVERYDAY: readonly Harmless[] = [
  {
    // At night, when the disk has time.
    begins: 1200,
    ends: 1175,
    *unfold(it) {
      const server = it.world.databases.get('manifest-db')!;
      it.tell({ kind: 'job', phase: 'begin', title: 'nightly backup of manifest-db', actor: 'database watch' });
      const session = server.open('backup', 'nightly-backup', 'moor-3');
      while (!it.hasEnded) {
        session.state = 'active';
        session.waitClass = 'IO';
        session.waitEvent = 'BaseBackupRead';
        yield* server.disk.enter();
        yield* it.world.simulation.sleep(0.2 * SECOND);
        server.disk.leave();
        session.state = 'idle';
        yield* it.world.simulation.sleep(0.6 * SECOND);
      }
      server.close(session);
      it.tell({ kind: 'job', phase: 'end', title: 'nightly backup of manifest-db', actor: 'database watch' });
    },
  },
  {
    begins: 960,
    ends: 955,
    // A collection of the old that takes longer than it should, once.
    *unfold(it) {
      const [first] = it.instances('holds');
      yield* it.minutes(1);
      first.pause((1.2 * MINUTE) / 60, 'old');
    },
  },
  ...BACKUPS,
];

export const HARMLESS: readonly Harmless[] = [...DEPLOYMENTS, ...EVERYDAY];
