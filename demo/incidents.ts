import type { Chance } from './simulation/chance.ts';
import type { Process } from './simulation/simulation.ts';
import { deploy, MINUTE, type World } from './world/parts.ts';

/** What goes wrong in a stretch of the demo data, and how it comes about. Times are in minutes before the end of the data. */
export interface Incident {
  readonly id: string;
  readonly cause: string;
  readonly place: string;
  readonly mechanism: string;
  readonly beginsMinutesBeforeEnd: number;
  readonly unfold: (world: World, chance: Chance) => Process;
}

/** berths 4.7.0 reaches one instance after the other and stays. */
const berthsSquared: Incident = {
  id: 'berths-n2',
  cause: 'berths 4.7.0 compares every pair of deck slots',
  place: 'berths',
  mechanism: 'CPU in layout.solve, for coach and freight',
  beginsMinutesBeforeEnd: 80,
  *unfold({ simulation, instances }) {
    for (const instance of instances.get('berths')!) {
      deploy(instance, '4.7.0');
      yield* simulation.sleep(2 * MINUTE);
    }
  },
};

export const INCIDENTS: readonly Incident[] = [berthsSquared];
