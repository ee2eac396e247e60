import type { Starts } from '../../api/map/starts.ts';
import { serviceColour } from '../../core/trace/serviceColour.ts';
import type { StripeParts } from '../charts/Stripe.tsx';

type Time = NonNullable<Starts['time'][number]['lit']>;

/** Parts thinner than this are left out. */
const THINNEST = 0.01;
const KINDS = ['own', 'pool', 'lock', 'io', 'db', 'remote', 'queue', 'gap', 'below'];

/** The colour of a kind of time; waiting for a service that is called has that service's, paler. */
export function timeColour(kind: string, party: string): string {
  return kind === 'below' ? `color-mix(in srgb, var(--s-${serviceColour(party)}) 45%, var(--line))` : `var(--t-${kind})`;
}

/** Where time goes as a stripe: its own first, what it waits for last. */
export function timeParts(time: Time | null | undefined): StripeParts {
  if (!time) return [];
  return [...time.lines]
    .filter(({ ns }) => ns >= THINNEST * time.meanNs)
    .sort((a, b) => KINDS.indexOf(a.kind) - KINDS.indexOf(b.kind))
    .map(({ kind, party, ns }) => ({ key: `${kind} ${party}`, share: ns / time.meanNs, colour: timeColour(kind, party) }));
}
