import type { Outcome } from '../services/gangway.ts';
import { chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MINUTE, MS, SECOND } from '../simulation/units.ts';
import { event, reporter } from '../telemetry/events.ts';
import type { World } from '../world/world.ts';

const EVERY = 5 * MINUTE;
const WITHIN_MS = 15_000;
const NAME = 'Search a sailing';
const ADDRESS = 'Timetable answers';

/** What the company answered last to what visitors pressed. */
const LATEST = new WeakMap<World, Map<string, Outcome>>();

/** Notes an answer, for the checks: they see what visitors see, and ask for nothing themselves. */
export function noteAnswer(world: World, action: string, outcome: Outcome): void {
  const known = LATEST.get(world) ?? new Map<string, Outcome>();
  LATEST.set(world, known);
  known.set(action, outcome);
}

interface Step {
  readonly name: string;
  readonly ms: number;
  readonly ok: boolean;
  readonly error: string;
}

/** Scripted checks of the booking site, every five minutes, from outside of the company. They change nothing in it. */
export function* checkRuns(world: World): Process {
  const noise = chance(0x5eed_c4ec);
  const resource = reporter('collector of checks');
  for (;;) {
    yield* world.simulation.sleep(EVERY);
    const answer = LATEST.get(world)?.get('search');
    if (!answer) continue;
    const isBlocked = world.effects.valueOf('quayside-web 2.31') > 0;
    const opens = Math.round(noise.logNormal(430, 0.15)) + (isBlocked ? Math.round(noise.logNormal(5_200, 0.45)) : 0);
    const isDead = isBlocked && noise.happens(0.55);
    const took = Math.round(answer.nanos / MS) + Math.round(noise.logNormal(60, 0.3));
    const waits = opens + (isDead ? WITHIN_MS : took);
    const fails = isDead || answer.status >= 500 || waits > WITHIN_MS;
    const error = isDead || waits > WITHIN_MS ? '“sailings found” did not appear in time' : 'the page shows an error';
    const steps: Step[] = [
      { name: 'open /sailings', ms: opens, ok: true, error: '' },
      { name: 'press search', ms: Math.round(noise.logNormal(40, 0.3)), ok: true, error: '' },
      { name: 'see sailings found', ms: fails ? Math.max(0, WITHIN_MS - opens) : took, ok: !fails, error: fails ? error : '' },
    ];
    const tell = (name: string, kind: string, steps: readonly Step[], traceId = '') => {
      const failed = steps.find(({ ok }) => !ok);
      event(world, resource, 'lantern.check', {
        'lantern.check.name': name,
        'lantern.check.kind': kind,
        'lantern.check.ok': !failed,
        'lantern.check.duration_ms': steps.reduce((sum, { ms }) => sum + ms, 0),
        'lantern.check.place': 'lighthouse at Tern',
        'lantern.check.error': failed?.error ?? '',
        'lantern.check.steps': steps.map((it) => ({ ...it })),
        'url.path': '/sailings',
        ...(traceId && { 'lantern.trace_id': traceId }),
      });
    };
    tell(NAME, 'journey', steps, answer.traceId);
    yield* world.simulation.sleep(20 * SECOND);
    const answered = Math.round(noise.logNormal(70, 0.3));
    tell(ADDRESS, 'address', [{ name: 'GET /sailings', ms: answered, ok: true, error: '' }]);
  }
}
