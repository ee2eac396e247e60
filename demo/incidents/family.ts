import { DATABASES, PARTNERS, SERVICES } from '../company/services.ts';
import { STATEMENTS, type Statement, tableOf } from '../company/statements.ts';
import { type Chance, chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { exceptionAt } from '../world/exceptions.ts';
import { between, HOSTED, type Member, one, USED_BY } from './drafts.ts';
import type { Harmless } from './harmless.ts';
import type { Incident } from './incident.ts';
import { batch, busyHost, effect, leak, lockHolder, lostIndex } from './mechanisms.ts';
import type { Unfolding } from './unfolding.ts';

/** A step of each service in which it computes, and how often its time must be multiplied to be felt. */
const STEPS: Readonly<Record<string, readonly [step: string, factor: number]>> = {
  accounts: ['session.check', 300],
  sailings: ['timetable.assemble', 40],
  tidewatch: ['window.compute', 60],
  fares: ['price.round', 250],
  holds: ['hold.check', 150],
  manifests: ['manifest.build', 30],
  passes: ['pass.render', 6],
  crew: ['roster.build', 50],
  vessels: ['position.find', 300],
};
const WITH_STEP = Object.keys(STEPS);
const WITH_POOL = ['accounts', 'sailings', 'manifests', 'crew'] as const;
const INDEXED: readonly Statement[] = [
  STATEMENTS.sailingsOfRoute,
  STATEMENTS.deckSlots,
  STATEMENTS.passengers,
  STATEMENTS.vehicles,
  STATEMENTS.booking,
  STATEMENTS.session,
];
const INDEX_USERS: Readonly<Record<string, readonly string[]>> = {
  sailing: USED_BY.sailings,
  deck_slot: USED_BY.berths,
  passenger: ['GET /manifests/{sailing}'],
  vehicle: ['GET /manifests/{sailing}'],
  booking: ['POST /bookings/{ref}/confirm', 'GET /passes/{ref}', 'PUT /bookings/{ref}'],
  session: USED_BY.accounts,
};
const PARTNER_USERS: Readonly<Record<string, readonly string[]>> = {
  'met-relay.example': ['GET /sailings'],
  'cardhouse.example': ['POST /bookings/{ref}/confirm'],
  'pass-store': ['GET /passes/{ref}'],
  'post-hub.example': [],
};

const next = (version: string) => version.replace(/\.(\d+)\.\d+$/, (_, minor: string) => `.${Number(minor) + 1}.0`);

/** A new version of a service that does something worse. */
function* worseVersion(it: Unfolding, service: string, begin: (version: string) => () => void): Process {
  const version = next(SERVICES[service].version);
  const undo = begin(version);
  yield* it.rollOut(service, version, 1);
  yield* it.over();
  undo();
  it.rollBack(service);
}

const computesMore: Member = (luck, size) => {
  const service = one(luck, WITH_STEP);
  const [step, factor] = STEPS[service];
  return {
    cause: `${service} ${next(SERVICES[service].version)} computes more`,
    place: service,
    mechanism: `CPU in ${step}`,
    affected: USED_BY[service],
    unfold: (it) =>
      worseVersion(it, service, (version) =>
        it.world.effects.slow({ service, step, version, factor: () => between(0.4, 1, size) * factor }),
      ),
  };
};

const computesMoreForSome: Member = (luck, size) => {
  const vehicle = one(luck, ['coach', 'freight', 'van', 'car'] as const);
  const service = one(luck, ['holds', 'passes'] as const);
  const [step, factor] = STEPS[service];
  return {
    cause: `${service} ${next(SERVICES[service].version)} computes more for ${vehicle}`,
    place: service,
    mechanism: `CPU in ${step}, for one vehicle class`,
    affected: service === 'holds' ? ['POST /holds'] : USED_BY[service],
    unfold: (it) =>
      worseVersion(it, service, (version) =>
        it.world.effects.slow({
          service,
          step,
          version,
          factor: ({ customer }) => (customer?.vehicle === vehicle ? between(1, 3, size) * factor : 1),
        }),
      ),
  };
};

const squared: Member = () => ({
  cause: 'berths 4.7.0 compares every pair of deck slots',
  place: 'berths',
  mechanism: 'CPU in layout.solve, for coach and freight',
  affected: ['POST /holds'],
  unfold: (it) => worseVersion(it, 'berths', () => it.world.effects.turn('pairs in berths 4.7.0')),
});

const poolTooSmall: Member = (luck, size) => {
  const service = one(luck, WITH_POOL);
  const { database } = SERVICES[service].pool!;
  const statement = {
    'account-db': STATEMENTS.sweepSessions,
    'sailing-db': STATEMENTS.occupancy,
    'manifest-db': STATEMENTS.reprint,
  }[database]!;
  return {
    cause: `the pool of ${service} was set to 1 connection, and a batch in ${database} makes it be held for long`,
    place: service,
    also: database,
    mechanism: 'wait for a connection',
    affected: USED_BY[service],
    *unfold(it) {
      for (const { pool } of it.instances(service)) pool!.gate.resize(1);
      it.tell({ kind: 'setting', title: `${service}: pool set to 1 connection an instance`, actor: 'database watch' });
      yield* batch(it, database, 'large-export', statement, {
        sessions: Math.round(between(30, 50, size)),
        hitShare: 0.6,
        diskSlower: 30,
      });
      for (const { pool, form } of it.instances(service)) pool!.gate.resize(form.pool!.size);
    },
  };
};

const noisyBatch: Member = (luck, size) => {
  const database = one(luck, Object.keys(DATABASES));
  const batches: Record<string, readonly [Statement, readonly string[]]> = {
    'account-db': [STATEMENTS.sweepSessions, USED_BY.accounts],
    'sailing-db': [STATEMENTS.occupancy, [...USED_BY.sailings, 'POST /holds']],
    'manifest-db': [STATEMENTS.reprint, USED_BY.manifests],
  };
  const [statement, users] = batches[database];
  return {
    cause: `a batch takes the cores and the disk of ${database}`,
    place: database,
    mechanism: 'CPU and reads of the database server',
    affected: users,
    unfold: (it) =>
      batch(it, database, 'season-export', statement, {
        sessions: Math.round(between(24, 60, size)),
        hitShare: 0.8,
        diskSlower: 12,
      }),
  };
};

const indexGone: Member = (luck) => {
  const statement = one(luck, INDEXED);
  return {
    cause: `a migration on ${statement.database} lost the index ${statement.index}`,
    place: statement.database,
    mechanism: `the plan of ${statement.name} flips to a full scan`,
    affected: INDEX_USERS[tableOf(statement)],
    unfold: (it) => lostIndex(it, statement, `${statement.database} migration ${luck.between(100, 300)}`),
  };
};

const locks: Member = () => ({
  cause: 'a job holds row locks and sits idle in its transaction',
  place: 'manifest-db',
  mechanism: 'blocked sessions',
  affected: ['PUT /bookings/{ref}'],
  unfold: (it) =>
    lockHolder(
      it,
      'season-rollover',
      ['tern-marram', 'marram-skerry-holm', 'tern-little-auk'].map((route) => `bookings of ${route}`),
    ),
});

const steal: Member = (luck, size) => {
  const host = one(luck, HOSTED);
  return {
    cause: `a backup inside ${host}`,
    place: host,
    mechanism: 'CPU steal on every virtual machine there',
    affected: ['POST /holds', 'GET /sailings', 'POST /sign-in', 'GET /passes/{ref}'],
    unfold: (it) => busyHost(it, host, 'backup of all disks', between(7.8, 7.93, size)),
  };
};

const eachMember: Member = () => ({
  cause: 'crew 1.9.0 asks the database once for each member of a crew',
  place: 'crew',
  mechanism: 'hundreds of small statements in one request',
  affected: ['GET /crew/roster/{vessel}'],
  unfold: (it) => worseVersion(it, 'crew', () => it.world.effects.turn('each member in crew 1.9.0')),
});

const killed: Member = (_, size) => ({
  cause: 'notices 4.3.0 keeps every mail it has sent; its pods are killed for memory',
  place: 'notices',
  mechanism: 'killed at the memory limit, messages wait in notice-queue',
  affected: ['GET /notices'],
  unfold: (it) => leak(it, 'notices', '4.3.0', between(10, 20, size)),
});

const refused: Member = (luck, size) => {
  const name = one(luck, ['met-relay.example', 'cardhouse.example', 'pass-store'] as const);
  const share = between(0.25, 1, size);
  return {
    cause: `${name} refuses the company's key`,
    place: name,
    mechanism: '403 from a partner',
    affected: PARTNER_USERS[name],
    *unfold(it) {
      const partner = it.world.partners.get(name)!;
      it.tell({ kind: 'key', title: `key of ${name} rotated`, actor: name });
      const own = chance(luck.between(0, 0x7fffffff));
      partner.refuses = () => (own.happens(share) ? 403 : undefined);
      yield* it.over();
      partner.refuses = () => undefined;
    },
  };
};

const partnerDown: Member = (luck) => {
  const name = one(luck, ['met-relay.example', 'cardhouse.example', 'pass-store'] as const);
  return {
    cause: `${name} is out of order`,
    place: name,
    mechanism: '503 from a partner',
    affected: PARTNER_USERS[name],
    *unfold(it) {
      const partner = it.world.partners.get(name)!;
      partner.refuses = () => 503;
      yield* it.over();
      partner.refuses = () => undefined;
    },
  };
};

const partnerSlow: Member = (luck, size) => {
  const name = one(
    luck,
    Object.keys(PARTNERS).filter((it) => PARTNER_USERS[it].length > 0),
  );
  return {
    cause: `${name} answers slowly`,
    place: name,
    mechanism: 'time spent waiting for a partner',
    affected: PARTNER_USERS[name],
    *unfold(it) {
      const partner = it.world.partners.get(name)!;
      partner.slower = between(1500, 3500, size) / (partner.median / MS);
      yield* it.over();
      partner.slower = 1;
    },
  };
};

const limited: Member = (luck) => {
  const channel = one(luck, ['kiosk', 'phone', 'web'] as const);
  return {
    cause: `fares limits the caller ${channel}, and holds tries again at once`,
    place: 'fares',
    mechanism: '429, answered by a storm of retries',
    affected:
      channel === 'web' ? ['POST /bookings/{ref}/confirm', 'POST /holds', 'GET /sailings'] : ['POST /bookings/{ref}/confirm'],
    *unfold(it) {
      it.tell({
        kind: 'setting',
        title: `fares: callers limited to 2 prices in five minutes for ${channel}`,
        actor: 'booking team',
      });
      yield* effect(it, () => it.world.effects.turn(`limit ${channel}`, 2));
    },
  };
};

const networkSlow: Member = (luck, size) => {
  const service = one(luck, ['accounts', 'sailings', 'fares', 'manifests', 'holds'] as const);
  return {
    cause: `the network to ${service} is slow`,
    place: service,
    mechanism: 'time between caller and callee',
    affected: USED_BY[service],
    unfold: (it) => effect(it, () => it.world.effects.turn(`network to ${service}`, between(180, 500, size))),
  };
};

const throwsForSome: Member = (luck, size) => {
  const service = one(luck, ['accounts', 'sailings', 'fares', 'holds', 'manifests', 'passes', 'crew', 'vessels'] as const);
  const share = between(0.15, 0.6, size);
  return {
    cause: `${service} ${next(SERVICES[service].version)} fails on a part of the requests`,
    place: service,
    mechanism: 'an exception in a new version',
    affected: USED_BY[service],
    unfold: (it) => {
      const own = chance(luck.between(0, 0x7fffffff));
      return worseVersion(it, service, (version) =>
        it.world.effects.fail({
          service,
          failure: ({ instance }) =>
            instance.version === version && own.happens(share)
              ? exceptionAt(instance, 500, 'NullReference', 'a value that is always there was not')
              : undefined,
        }),
      );
    },
  };
};

const throwsForRoute: Member = (luck) => {
  const route = one(luck, ['tern-marram', 'fennick-saltern', 'tern-little-auk'] as const);
  return {
    cause: `the timetable of ${route} cannot be read`,
    place: 'sailings',
    mechanism: 'an exception for one route',
    affected: ['GET /sailings', 'POST /holds'],
    unfold: (it) => {
      it.tell({ kind: 'setting', title: `sailings: timetable of ${route} loaded`, actor: 'booking team' });
      return effect(it, () =>
        it.world.effects.fail({
          service: 'sailings',
          failure: ({ instance, customer }) =>
            customer?.route === route
              ? exceptionAt(instance, 500, 'reach.sailings.TimetableException', `timetable of ${route} has no season`)
              : undefined,
        }),
      );
    },
  };
};

const oneInstance: Member = (luck, size) => {
  const service = one(luck, ['gangway', 'accounts', 'fares', 'passes', 'holds'] as const);
  return {
    cause: `one instance of ${service} is ill`,
    place: service,
    mechanism: 'CPU on one instance',
    affected: USED_BY[service] ?? ['POST /holds', 'GET /sailings'],
    unfold: (it) => {
      const [ill] = it.instances(service);
      return effect(it, () =>
        it.world.effects.slow({ service, factor: ({ instance }) => (instance === ill ? between(40, 120, size) : 1) }),
      );
    },
  };
};

const pauses: Member = (luck, size) => {
  const service = one(luck, ['holds', 'sailings', 'manifests'] as const);
  return {
    cause: `${service} collects garbage again and again`,
    place: service,
    mechanism: 'pauses of the garbage collector',
    affected: USED_BY[service],
    *unfold(it) {
      it.tell({ kind: 'setting', title: `${service}: heap halved`, actor: 'platform team' });
      while (!it.hasEnded) {
        for (const instance of it.instances(service)) instance.pause(between(0.9, 2, size) * SECOND, 'old');
        yield* it.world.simulation.sleep(it.chance.exponential(4 * SECOND));
      }
    },
  };
};

const fewWorkers: Member = (luck) => {
  const service = one(luck, ['tidewatch', 'passes', 'accounts'] as const);
  const [step, factor] = STEPS[service];
  return {
    cause: `${service} was set to one worker an instance, each of them slower`,
    place: service,
    mechanism: 'wait for a worker',
    affected: USED_BY[service],
    *unfold(it) {
      it.tell({ kind: 'setting', title: `${service}: one worker an instance`, actor: 'platform team' });
      for (const { workers } of it.instances(service)) workers.resize(1);
      const undo = it.world.effects.slow({ service, step, factor: () => factor * 0.5 });
      yield* it.over();
      undo();
      for (const { workers, form } of it.instances(service)) workers.resize(form.workers);
    },
  };
};

const coldCache: Member = (luck, size) => {
  const name = one(luck, ['hold-cache', 'fare-cache'] as const);
  return {
    cause: `${name} is emptied again and again`,
    place: name,
    mechanism: 'look-ups that miss, and the work behind them',
    affected: name === 'hold-cache' ? ['POST /holds'] : USED_BY.fares,
    *unfold(it) {
      it.tell({ kind: 'setting', title: `${name}: entries live for one second`, actor: 'platform team' });
      const service = name === 'hold-cache' ? 'sailings' : 'fares';
      const step = name === 'hold-cache' ? 'sailing.read' : 'price.rules';
      const undo = it.world.effects.slow({ service, step, factor: () => between(20, 60, size) });
      while (!it.hasEnded) {
        it.world.caches.get(name)!.empty();
        yield* it.world.simulation.sleep(5 * SECOND);
      }
      undo();
    },
  };
};

const outOfMemory: Member = (luck, size) => {
  const database = one(luck, Object.keys(DATABASES));
  const users = { 'account-db': USED_BY.accounts, 'sailing-db': [...USED_BY.sailings], 'manifest-db': USED_BY.manifests }[
    database
  ]!;
  return {
    cause: `the buffer cache of ${database} was made far too small`,
    place: database,
    mechanism: 'reads from the disk',
    affected: users,
    *unfold(it) {
      const server = it.world.databases.get(database)!;
      const before = server.hitShare;
      it.tell({ kind: 'setting', title: `${database}: buffer cache of 16 GB set to 128 MB`, actor: 'database watch' });
      server.hitShare = between(0.3, 0.05, size);
      server.diskSlower = 120;
      yield* it.over();
      server.hitShare = before;
      server.diskSlower = 1;
    },
  };
};

const unreachable: Member = () => ({
  cause: 'one instance of accounts cannot be reached',
  place: 'accounts',
  mechanism: 'connections to one instance are reset',
  affected: USED_BY.accounts,
  *unfold(it) {
    const [first] = it.instances('accounts');
    yield* effect(it, () =>
      it.world.effects.fail({
        service: 'accounts',
        failure: ({ instance }) =>
          instance === first ? exceptionAt(instance, 503, 'unavailable', 'connection reset by the other side') : undefined,
      }),
    );
  },
});

const scriptBlocks: Member = () => ({
  cause: 'quayside-web 2.31 loads a script of beacon-tags.example before anything else',
  place: 'quayside-web',
  mechanism: 'a third-party script blocks the page',
  affected: [],
  *unfold(it) {
    it.tell({ kind: 'deployment', title: 'quayside-web 2.31', version: '2.31', actor: 'release-desk' });
    yield* effect(it, () => it.world.effects.turn('quayside-web 2.31'));
  },
});

const appCrashes: Member = () => ({
  cause: 'deck-app 6.2 crashes on the device family Fennel 7',
  place: 'deck-app',
  mechanism: 'crash after Open a manifest',
  affected: [],
  *unfold(it) {
    it.tell({ kind: 'deployment', title: 'deck-app 6.2 in the stores', version: '6.2', actor: 'release-desk' });
    yield* effect(it, () => it.world.effects.turn('share of deck-app 6.2', 0.6));
  },
});

export const FAMILY: readonly Member[] = [
  computesMore,
  computesMoreForSome,
  squared,
  poolTooSmall,
  noisyBatch,
  indexGone,
  locks,
  steal,
  eachMember,
  killed,
  refused,
  partnerDown,
  partnerSlow,
  limited,
  networkSlow,
  throwsForSome,
  throwsForRoute,
  oneInstance,
  pauses,
  fewWorkers,
  coldCache,
  outOfMemory,
  unreachable,
  scriptBlocks,
  appCrashes,
];

/** A day on which anything may go wrong: one to three causes, or none at all on one day in ten; with decoys. */
export function randomIncidents(
  seed: number,
  hours: number,
  family: readonly Member[] = FAMILY,
): { incidents: Incident[]; harmless: Harmless[] } {
  const luck = chance(seed ^ 0x5ca1ab1e);
  const count = luck.happens(0.1) ? 0 : luck.between(1, 3);
  const members = [...family];
  const incidents = Array.from({ length: count }, (_, at): Incident => {
    const [member] = members.splice(luck.between(0, members.length - 1), 1);
    const size = luck.unit();
    const draft = member(luck, size);
    // Each in a part of the time of its own, after a quiet beginning.
    const quiet = 0.3 * 60 * hours;
    const slot = (60 * hours - quiet) / count;
    const begins = Math.round(60 * hours - quiet - slot * (at + luck.unit() * 0.35));
    const lasts = Math.round(Math.max(10, Math.min(slot * 0.6, luck.between(12, 60))));
    return {
      id: `${draft.place} ${at + 1}`,
      ...draft,
      symptoms: [],
      decoys: [],
      begins,
      ends: luck.happens(0.25) && at === count - 1 ? null : Math.max(0, begins - lasts),
    };
  });
  const harmless = Array.from({ length: luck.between(1, 4) }, () => decoy(luck, hours, incidents));
  return { incidents, harmless };
}

/** Something at the hour of an incident, or at another, that does no harm. */
function decoy(luck: Chance, hours: number, incidents: readonly Incident[]): Harmless {
  const near =
    incidents.length > 0 && luck.happens(0.6)
      ? one(luck, incidents).begins + luck.between(-6, 6)
      : luck.between(5, 60 * hours - 5);
  const begins = Math.max(2, near);
  const ends = Math.max(0, begins - luck.between(10, 40));
  const service = one(luck, ['gangway', 'vessels', 'tidewatch', 'books'] as const);
  const version = SERVICES[service].version.replace(/\d+$/, (patch) => String(Number(patch) + 1));
  if (luck.happens(0.6)) return { begins, ends, unfold: (it) => it.rollOut(service, version, 1) };
  if (luck.happens(0.5)) {
    const host = one(luck, HOSTED);
    return { begins, ends, unfold: (it) => busyHost(it, host, 'small backup', 2) };
  }
  // A caller that makes mistakes harms nobody else.
  return {
    begins,
    ends,
    unfold: (it) => {
      const own = chance(luck.between(0, 0x7fffffff));
      return effect(it, () =>
        it.world.effects.fail({
          service: 'vessels',
          failure: ({ instance }) =>
            own.happens(0.3) ? exceptionAt(instance, 404, 'vessels.ErrUnknownVessel', 'no such vessel') : undefined,
        }),
      );
    },
  };
}
