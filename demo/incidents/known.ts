import { ROUTES } from '../company/customers.ts';
import { STATEMENTS } from '../company/statements.ts';
import type { Incident } from './incident.ts';
import { batch, busyHost, effect, leak, lockHolder, lostIndex } from './mechanisms.ts';

const OUTER_ROUTES = new Set(['little-auk-fennick', 'fennick-saltern', 'skerry-holm-saltern']);

/** The twelve incidents of the regatta day. Several overlap; some are still going on at the end. */
export const INCIDENTS: readonly Incident[] = [
  {
    id: 'berths-n2',
    cause: 'berths 4.7.0 compares every pair of deck slots',
    place: 'berths',
    mechanism: 'CPU in layout.solve, for coach and freight',
    symptoms: ['Place a hold takes seconds for coach and freight'],
    decoys: ['holds looks slowest', 'fares 2.14.0 was rolled out at the same hour and is harmless'],
    affected: ['POST /holds'],
    begins: 80,
    ends: null,
    *unfold(it) {
      const undo = it.world.effects.turn('pairs in berths 4.7.0');
      yield* it.rollOut('berths', '4.7.0');
      yield* it.over();
      undo();
      it.rollBack('berths');
    },
  },
  {
    id: 'manifests-pool',
    cause:
      'the pool of manifests was set to 4 connections an instance, and a batch in manifest-db makes each be held hundreds of times longer',
    place: 'manifests',
    mechanism: 'wait for a connection',
    symptoms: ['Open a manifest and Confirm a booking are slow'],
    decoys: ['CPU of manifests is low', 'no statement by itself looks slow at first'],
    affected: [
      'GET /manifests/{sailing}',
      'POST /bookings/{ref}/confirm',
      'POST /holds',
      'GET /passes/{ref}',
      'PUT /bookings/{ref}',
    ],
    begins: 390,
    ends: 285,
    *unfold(it) {
      for (const { pool } of it.instances('manifests')) pool!.gate.resize(4);
      it.tell({ kind: 'setting', title: 'manifests: pool of 10 connections an instance set to 4', actor: 'database watch' });
      yield* it.minutes(30);
      yield* batch(it, 'manifest-db', 'manifest-reprint', STATEMENTS.reprint, { sessions: 60, hitShare: 0.6, diskSlower: 40 });
      for (const { pool } of it.instances('manifests')) pool!.gate.resize(10);
      it.tell({ kind: 'setting', title: 'manifests: pool of 4 connections an instance set to 10', actor: 'database watch' });
    },
  },
  {
    id: 'met-relay-key',
    cause: 'the key of met-relay.example was rotated on one side',
    place: 'met-relay.example',
    mechanism: '403 from a partner',
    symptoms: ['Search sailings fails for the outer routes'],
    decoys: ['gangway, sailings and tidewatch all turn red'],
    affected: ['GET /sailings'],
    begins: 690,
    ends: 640,
    *unfold(it) {
      it.tell({ kind: 'key', title: 'key of met-relay.example rotated', actor: 'met-relay.example' });
      const partner = it.world.partners.get('met-relay.example')!;
      partner.refuses = (about) => (OUTER_ROUTES.has(String(about['ferry.route'])) ? 403 : undefined);
      yield* it.over();
      partner.refuses = () => undefined;
      it.tell({ kind: 'key', title: 'key of met-relay.example set in tidewatch', actor: 'harbour team' });
    },
  },
  {
    id: 'season-locks',
    cause: 'the season roll-over holds row locks and sits idle in its transaction',
    place: 'manifest-db',
    mechanism: 'blocked sessions',
    symptoms: ['Change a booking hangs, then fails'],
    decoys: ['many sessions are blocked, the one that blocks them is idle'],
    affected: ['PUT /bookings/{ref}'],
    begins: 500,
    ends: 470,
    *unfold(it) {
      yield* lockHolder(
        it,
        'season-rollover',
        ROUTES.map(([route]) => `bookings of ${route}`),
      );
    },
  },
  {
    id: 'quay-3-backup',
    cause: 'a backup inside quay-3 in the middle of the day',
    place: 'quay-3',
    mechanism: 'CPU steal on every virtual machine there',
    symptoms: ['several services are slow, only on some instances'],
    decoys: ["the services' own CPU looks normal"],
    affected: ['POST /sign-in', 'GET /sailings', 'POST /holds'],
    begins: 780,
    ends: 735,
    *unfold(it) {
      yield* busyHost(it, 'quay-3', 'backup of all disks', 7.9);
    },
  },
  {
    id: 'notices-memory',
    cause: 'notices 4.3.0 keeps every mail it has sent; its pods are killed for memory, again and again',
    place: 'notices',
    mechanism: 'killed at the memory limit, messages wait in notice-queue',
    symptoms: ['mails come an hour late, or twice'],
    decoys: ['the API shows no error', 'it goes away by itself for a while after each restart'],
    affected: ['GET /notices'],
    begins: 300,
    ends: 190,
    *unfold(it) {
      yield* leak(it, 'notices', '4.3.0', 12);
    },
  },
  {
    id: 'sailing-index',
    cause: 'a migration on sailing-db lost the index on route and departure',
    place: 'sailing-db',
    mechanism: 'the plan of SELECT sailing flips to a full scan',
    symptoms: ['Search sailings is slow for far dates'],
    decoys: ['load on the database rises for all that use it'],
    affected: ['GET /sailings'],
    begins: 220,
    ends: 140,
    *unfold(it) {
      yield* lostIndex(it, STATEMENTS.sailingsOfRoute, 'sailing-db migration 214: departures in local time');
    },
  },
  {
    id: 'crew-each',
    cause: 'crew 1.9.0 asks the database once for each member of a crew',
    place: 'crew',
    mechanism: 'hundreds of small statements in one request',
    symptoms: ['Crew roster is slow for big vessels'],
    decoys: ['each statement is fast'],
    affected: ['GET /crew/roster/{vessel}'],
    begins: 100,
    ends: null,
    *unfold(it) {
      const undo = it.world.effects.turn('each member in crew 1.9.0');
      yield* it.rollOut('crew', '1.9.0');
      yield* it.over();
      undo();
      it.rollBack('crew');
    },
  },
  {
    id: 'web-script',
    cause: 'quayside-web 2.31 loads a script of beacon-tags.example before anything else',
    place: 'quayside-web',
    mechanism: 'a third-party script blocks the page',
    symptoms: ['pages are ready late, the button is dead', 'people click again and give up'],
    decoys: ['the backend is healthy'],
    affected: [],
    begins: 450,
    ends: 320,
    *unfold(it) {
      it.tell({ kind: 'deployment', title: 'quayside-web 2.31', version: '2.31', actor: 'release-desk' });
      yield* effect(it, () => it.world.effects.turn('quayside-web 2.31'));
      it.tell({ kind: 'deployment', title: 'quayside-web 2.30', version: '2.30', actor: 'release-desk' });
    },
  },
  {
    id: 'fares-limit',
    cause: 'fares limits the caller kiosk, and holds tries again at once',
    place: 'fares',
    mechanism: '429, answered by a storm of retries',
    symptoms: ['Confirm a booking fails for kiosks'],
    decoys: ['the error is seen three levels up'],
    affected: ['POST /bookings/{ref}/confirm'],
    begins: 620,
    ends: 570,
    *unfold(it) {
      it.tell({ kind: 'setting', title: 'fares: callers limited to 2 prices in five minutes for kiosk', actor: 'booking team' });
      yield* effect(it, () => it.world.effects.turn('limit kiosk', 2));
      it.tell({ kind: 'setting', title: 'fares: limit for kiosk lifted', actor: 'booking team' });
    },
  },
  {
    id: 'passes-strings',
    cause: 'passes 3.9.0 builds barcodes as text and writes them to a debug log',
    place: 'passes',
    mechanism: 'CPU and allocation in pass.render',
    symptoms: ['Show a pass is slower by a third'],
    decoys: ['it comes gradually, instance by instance, and no alarm is raised'],
    affected: ['GET /passes/{ref}'],
    begins: 240,
    ends: null,
    *unfold(it) {
      const undo = it.world.effects.slow({
        service: 'passes',
        step: 'pass.render',
        version: '3.9.0',
        factor: () => 1.6,
        allocates: 6,
      });
      const quiet = it.world.effects.turn('debug in passes 3.9.0');
      yield* it.rollOut('passes', '3.9.0', 55);
      yield* it.over();
      undo();
      quiet();
      it.rollBack('passes');
    },
  },
  {
    id: 'app-crash',
    cause: 'deck-app 6.2 crashes on the device family Fennel 7',
    place: 'deck-app',
    mechanism: 'crash after Open a manifest',
    symptoms: ['the funnel drops after Open a manifest'],
    decoys: ['other versions, and 6.2 on other devices, are fine'],
    affected: [],
    begins: 560,
    ends: null,
    *unfold(it) {
      it.tell({ kind: 'deployment', title: 'deck-app 6.2 in the stores', version: '6.2', actor: 'release-desk' });
      // More and more phones have it.
      for (let hour = 0; hour < 9; hour++) {
        yield* it.minutes(hour * 45);
        it.world.effects.turn('share of deck-app 6.2', 0.08 + 0.06 * hour);
      }
      yield* it.over();
    },
  },
];
