import { STATEMENTS } from '../company/statements.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS } from '../simulation/units.ts';
import { say } from '../telemetry/logging.ts';
import { query, transaction } from '../world/query.ts';
import { call, compute, type Place } from '../world/request.ts';

/** Vessels with the size of their crew. */
export const VESSELS = [
  ['Grey Heron', 38],
  ['Marram Star', 62],
  ['Little Auk', 14],
  ['Saltern Queen', 410],
  ['Fennick Rose', 55],
  ['Skerry Maid', 22],
  ['Osier Bay', 360],
] as const;

/** Who is on duty on a vessel. */
export function* crewRoster(at: Place): Process {
  const [vessel, size] = at.request.chance.pick(VESSELS.map((it) => [it, 1] as const));
  const attributes = { 'vessel.name': vessel, 'crew.size': size };
  yield* call(at, { service: 'crew', method: 'GET', route: '/rosters/{vessel}', attributes }, function* (crew) {
    const { world } = crew.request;
    const asksEach = world.effects.valueOf(`each member in crew ${crew.instance.version}`) > 0;
    yield* transaction(crew, function* (session) {
      yield* query(crew, session, STATEMENTS.watches);
      if (asksEach) for (let member = 0; member < size; member++) yield* query(crew, session, STATEMENTS.crewMember);
      else yield* query(crew, session, STATEMENTS.crewOfVessel);
    });
    yield* compute(crew, 'roster.build', (8 + 0.05 * size) * MS);
    say(crew, 'info', `roster of ${vessel} built for ${size} people`);
  });
}
