import type { Chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import type { Truth } from './incident.ts';
import type { Unfolding } from './unfolding.ts';

export type Draft = Pick<Truth, 'cause' | 'place' | 'also' | 'mechanism' | 'machine' | 'affected'> & {
  readonly unfold: (it: Unfolding) => Process;
};
/** A cause that can be anywhere and of any size. @param size 0 to 1 */
export type Member = (luck: Chance, size: number) => Draft;

/** Which entry operations at gangway use a service. */
export const USED_BY: Readonly<Record<string, readonly string[]>> = {
  accounts: ['POST /holds', 'GET /manifests/{sailing}', 'POST /bookings/{ref}/confirm', 'GET /passes/{ref}', 'POST /sign-in'],
  sailings: ['GET /sailings', 'POST /holds'],
  tidewatch: ['GET /sailings'],
  fares: ['GET /sailings', 'POST /holds', 'POST /bookings/{ref}/confirm'],
  holds: ['POST /holds', 'POST /bookings/{ref}/confirm'],
  berths: ['POST /holds'],
  manifests: [
    'GET /manifests/{sailing}',
    'POST /holds',
    'POST /bookings/{ref}/confirm',
    'GET /passes/{ref}',
    'PUT /bookings/{ref}',
  ],
  passes: ['GET /passes/{ref}'],
  crew: ['GET /crew/roster/{vessel}'],
  vessels: ['GET /vessels/{id}/position'],
  notices: ['GET /notices'],
};

/** Hosts that virtual machines of services stand on. */
export const HOSTED = ['quay-1', 'quay-2', 'quay-3', 'quay-4'] as const;

export const one = <T>(luck: Chance, of: readonly T[]): T => of[luck.between(0, of.length - 1)];
export const between = (least: number, most: number, size: number) => least + (most - least) * size;
