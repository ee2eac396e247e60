import { loadParser, readStatement } from '../../src/formats/database/fingerprint.ts';

await loadParser();

/** A statement that a service runs, and what it costs its server. */
export interface Statement {
  /** Fingerprint: the same for all its values. */
  readonly id: string;
  readonly database: string;
  /** As its span is called. */
  readonly name: string;
  readonly text: string;
  /** Median work on the server's cores, nanoseconds. */
  readonly work: number;
  /** Blocks of 8 KiB that it looks at. */
  readonly blocks: number;
  readonly rows: number;
  /** The index by which it finds its rows. */
  readonly index?: string;
}

const MS = 1_000_000;

function statement(
  database: string,
  name: string,
  workMs: number,
  blocks: number,
  rows: number,
  text: string,
  index?: string,
): Statement {
  const read = readStatement(text);
  if (!read) throw new Error(`no statement: ${text}`);
  return { id: read.id, database, name, text, work: workMs * MS, blocks, rows, index };
}

/** All statements of the company's services and jobs. */
export const STATEMENTS = {
  session: statement(
    'account-db',
    'SELECT session',
    0.9,
    4,
    1,
    'SELECT user_id, expires_at, scopes FROM session WHERE token_hash = $1',
    'session_pkey',
  ),
  account: statement(
    'account-db',
    'SELECT account',
    1.1,
    4,
    1,
    'SELECT id, secret_hash, locked_until FROM account WHERE handle = $1',
    'account_handle_key',
  ),
  newSession: statement(
    'account-db',
    'INSERT session',
    1.4,
    6,
    1,
    'INSERT INTO session (token_hash, user_id, expires_at) VALUES ($1, $2, $3)',
  ),
  sweepSessions: statement(
    'account-db',
    'DELETE session',
    900,
    5200,
    400,
    'DELETE FROM session WHERE expires_at < now() - interval $1',
  ),
  sailingsOfRoute: statement(
    'sailing-db',
    'SELECT sailing',
    9,
    60,
    24,
    'SELECT id, departs_at, arrives_at, vessel_id FROM sailing WHERE route = $1 AND departs_at BETWEEN $2 AND $3 ORDER BY departs_at',
    'sailing_route_departs_at_idx',
  ),
  sailing: statement(
    'sailing-db',
    'SELECT sailing',
    1.6,
    4,
    1,
    'SELECT id, departs_at, vessel_id, state FROM sailing WHERE id = $1',
    'sailing_pkey',
  ),
  vessel: statement(
    'sailing-db',
    'SELECT vessel',
    1.2,
    6,
    6,
    'SELECT id, name, car_lanes, passenger_places FROM vessel WHERE id = ANY($1)',
    'vessel_pkey',
  ),
  deckSlots: statement(
    'sailing-db',
    'SELECT deck_slot',
    3.2,
    30,
    420,
    'SELECT slot, lane, height_cm, taken_by FROM deck_slot WHERE sailing_id = $1',
    'deck_slot_sailing_id_idx',
  ),
  takeSlots: statement(
    'sailing-db',
    'UPDATE deck_slot',
    2.1,
    24,
    8,
    'UPDATE deck_slot SET taken_by = $1 WHERE sailing_id = $2 AND slot = ANY($3) AND taken_by IS NULL',
    'deck_slot_sailing_id_idx',
  ),
  occupancy: statement(
    'sailing-db',
    'SELECT occupancy',
    1300,
    9000,
    40,
    'SELECT route, date_trunc($1, departs_at), sum(taken) FROM sailing_occupancy GROUP BY 1, 2 ORDER BY 2',
  ),
  manifest: statement(
    'manifest-db',
    'SELECT manifest',
    1.5,
    6,
    1,
    'SELECT id, places_left, revision FROM manifest WHERE sailing_id = $1',
    'manifest_sailing_id_key',
  ),
  passengers: statement(
    'manifest-db',
    'SELECT passenger',
    14,
    90,
    260,
    'SELECT id, booking_ref, place, boarded_at FROM passenger WHERE manifest_id = $1 ORDER BY place',
    'passenger_manifest_id_idx',
  ),
  vehicles: statement(
    'manifest-db',
    'SELECT vehicle',
    8,
    50,
    60,
    'SELECT id, booking_ref, vehicle_class, slot FROM vehicle WHERE manifest_id = $1 ORDER BY slot',
    'vehicle_manifest_id_idx',
  ),
  newReservation: statement(
    'manifest-db',
    'INSERT reservation',
    6,
    12,
    1,
    'INSERT INTO reservation (manifest_id, booking_ref, party_size, vehicle_class, expires_at) VALUES ($1, $2, $3, $4, $5)',
  ),
  booking: statement(
    'manifest-db',
    'SELECT booking',
    1.8,
    6,
    1,
    'SELECT id, manifest_id, state, value FROM booking WHERE ref = $1',
    'booking_ref_key',
  ),
  confirmBooking: statement(
    'manifest-db',
    'UPDATE booking',
    4,
    12,
    1,
    'UPDATE booking SET state = $1, confirmed_at = now() WHERE ref = $2',
    'booking_ref_key',
  ),
  changeBooking: statement(
    'manifest-db',
    'UPDATE booking',
    5,
    14,
    1,
    'UPDATE booking SET sailing_id = $1, value = $2, revision = revision + 1 WHERE ref = $3',
    'booking_ref_key',
  ),
  crewOfVessel: statement(
    'manifest-db',
    'SELECT crew_member',
    4,
    40,
    120,
    'SELECT id, name, duty, watch FROM crew_member WHERE vessel_id = $1 ORDER BY watch',
    'crew_member_vessel_id_idx',
  ),
  crewMember: statement(
    'manifest-db',
    'SELECT crew_member',
    0.7,
    4,
    1,
    'SELECT id, name, duty, watch FROM crew_member WHERE id = $1',
    'crew_member_pkey',
  ),
  watches: statement(
    'manifest-db',
    'SELECT watch',
    2,
    16,
    12,
    'SELECT id, begins_at, ends_at FROM watch WHERE vessel_id = $1 AND begins_at > now()',
    'watch_vessel_id_idx',
  ),
  newEntry: statement(
    'manifest-db',
    'INSERT ledger_entry',
    3,
    10,
    1,
    'INSERT INTO ledger_entry (booking_ref, account, amount, made_at) VALUES ($1, $2, $3, $4)',
  ),
  counts: statement(
    'manifest-db',
    'SELECT count',
    1100,
    8000,
    30,
    'SELECT vehicle_class, count(*) FROM reservation WHERE expires_at > now() GROUP BY vehicle_class',
  ),
  reprint: statement(
    'manifest-db',
    'SELECT reprint',
    2600,
    26000,
    90000,
    'SELECT m.sailing_id, p.* FROM manifest m JOIN passenger p ON p.manifest_id = m.id WHERE m.revision > $1 ORDER BY m.sailing_id, p.place',
  ),
  rollSeason: statement(
    'manifest-db',
    'UPDATE booking',
    400,
    3000,
    2200,
    'UPDATE booking SET season = $1 WHERE sailing_id IN (SELECT id FROM sailing_copy WHERE route = $2)',
  ),
} as const satisfies Record<string, Statement>;

/** The table that a statement is about. */
export function tableOf({ text }: Statement): string {
  return /\b(?:FROM|INTO|UPDATE) (\w+)/.exec(text)![1];
}
