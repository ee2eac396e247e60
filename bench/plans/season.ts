/*
 * A season of the ferries as an analyst has it: at scale 1 about a gigabyte of tables. Some references have an index and some have none, as tables
 * that grew over years do; what is asked of them are reports, not single bookings.
 */

/** The tables, at a scale. */
export function seasonTables(scale: number): string {
  const rows = (count: number) => Math.max(1, Math.round(count * scale));
  return `
CREATE TABLE island (id int PRIMARY KEY, name text NOT NULL, region text);
INSERT INTO island SELECT g, 'Island ' || g, CASE WHEN g % 7 > 0 THEN (ARRAY['north', 'south', 'skerries'])[1 + g % 3] END FROM generate_series(1, 40) g;

CREATE TABLE vessel (id int PRIMARY KEY, name text NOT NULL, places int NOT NULL, built int);
INSERT INTO vessel SELECT g, 'Vessel ' || g, 120 + g % 5 * 60, CASE WHEN g % 9 > 0 THEN 1985 + g % 38 END FROM generate_series(1, 60) g;

CREATE TABLE sailing (
  id int PRIMARY KEY, vessel_id int NOT NULL REFERENCES vessel, from_island int NOT NULL REFERENCES island, to_island int NOT NULL REFERENCES island,
  departs_at timestamptz NOT NULL, late_minutes int, state text NOT NULL);
INSERT INTO sailing SELECT g, 1 + g % 60, 1 + g % 40, 1 + (g * 7 + 3) % 40, timestamptz '2024-01-01 00:00+00' + g * (interval '700 days' / ${rows(120_000)}),
  CASE WHEN g % 8 > 0 THEN hashint4(g) & 63 END, CASE WHEN g % 53 = 0 THEN 'cancelled' WHEN g % 17 = 0 THEN 'late' ELSE 'sailed' END
FROM generate_series(1, ${rows(120_000)}) g;
CREATE INDEX sailing_departs_at_idx ON sailing (departs_at);

CREATE TABLE guest (id int PRIMARY KEY, email text NOT NULL, home_island int, since date NOT NULL, language text COLLATE "C");
INSERT INTO guest SELECT g, 'Guest.' || g || '@mail.example', CASE WHEN g % 5 > 0 THEN 1 + g % 40 END, date '2012-01-01' + g % 4500, (ARRAY['nb', 'en', 'de', 'Se'])[1 + g % 4]
FROM generate_series(1, ${rows(400_000)}) g;

CREATE TABLE booking (
  id int PRIMARY KEY, ref text NOT NULL UNIQUE, guest_id int REFERENCES guest, sailing_id int NOT NULL REFERENCES sailing,
  made_at timestamptz NOT NULL, state text NOT NULL, channel text, value numeric NOT NULL);
INSERT INTO booking SELECT g, 'OR' || lpad(to_hex(g), 8, '0'), CASE WHEN g % 10 > 0 THEN 1 + (hashint4(g) & 2147483647) % ${rows(400_000)} END,
  1 + (hashint4(g * 3) & 2147483647) % ${rows(120_000)}, timestamptz '2024-01-01 00:00+00' + g * (interval '690 days' / ${rows(2_000_000)}),
  CASE WHEN g % 211 = 0 THEN 'refunded' WHEN g % 19 = 0 THEN 'cancelled' ELSE 'confirmed' END,
  CASE WHEN g % 6 > 0 THEN (ARRAY['web', 'app', 'kiosk', 'coach'])[1 + (hashint4(g * 5) & 3)] END, 40 + (hashint4(g * 7) & 511)
FROM generate_series(1, ${rows(2_000_000)}) g;
CREATE INDEX booking_made_at_idx ON booking (made_at);

CREATE TABLE passage (id int PRIMARY KEY, booking_id int NOT NULL REFERENCES booking, age int, vehicle text, boarded_at timestamptz);
INSERT INTO passage SELECT g, 1 + (g - 1) / 2 % ${rows(2_000_000)}, CASE WHEN g % 4 > 0 THEN hashint4(g) & 95 END,
  CASE WHEN g % 3 = 0 THEN (ARRAY['car', 'van', 'coach', 'lorry'])[1 + (hashint4(g * 9) & 3)] END,
  CASE WHEN g % 12 > 0 THEN timestamptz '2024-01-02 00:00+00' + g * (interval '690 days' / ${rows(4_000_000)}) END
FROM generate_series(1, ${rows(4_000_000)}) g;

CREATE TABLE payment (id int PRIMARY KEY, booking_id int NOT NULL, paid_at timestamptz NOT NULL, amount numeric NOT NULL, method text NOT NULL, failed boolean NOT NULL);
INSERT INTO payment SELECT g, 1 + (hashint4(g * 11) & 2147483647) % ${rows(2_000_000)}, timestamptz '2024-01-01 00:00+00' + g * (interval '690 days' / ${rows(2_200_000)}),
  20 + (hashint4(g * 13) & 511), (ARRAY['card', 'invoice', 'voucher'])[1 + g % 3], g % 41 = 0
FROM generate_series(1, ${rows(2_200_000)}) g;
CREATE INDEX payment_booking_id_idx ON payment (booking_id);
`;
}

export interface Report {
  readonly asks: string;
  readonly text: string;
}

/** What an analyst asks of a season. */
export const REPORTS: readonly Report[] = [
  {
    asks: 'bookings and value by month of a half year',
    text: `SELECT date_trunc('month', made_at) AS month, count(*), sum(value) FROM booking
      WHERE made_at >= '2024-07-01' AND made_at < '2025-01-01' GROUP BY 1 ORDER BY 1`,
  },
  {
    asks: 'what a day brought in, by channel',
    text: "SELECT channel, count(*), sum(value) FROM booking WHERE made_at::date = '2025-03-14' GROUP BY channel ORDER BY channel",
  },
  {
    asks: 'guests that never booked',
    text: 'SELECT count(*) FROM guest WHERE id NOT IN (SELECT guest_id FROM booking WHERE guest_id IS NOT NULL)',
  },
  {
    asks: 'islands by what starts there late',
    text: `SELECT i.name, count(*) FILTER (WHERE s.state = 'late') AS late, count(*) AS sailings, avg(s.late_minutes)
      FROM sailing s JOIN island i ON i.id = s.from_island GROUP BY i.name ORDER BY late DESC, i.name`,
  },
  {
    asks: 'the fullest sailings of a week',
    text: `SELECT s.id, s.departs_at, count(p.id) AS people FROM sailing s JOIN booking b ON b.sailing_id = s.id JOIN passage p ON p.booking_id = b.id
      WHERE s.departs_at >= '2025-05-05' AND s.departs_at < '2025-05-12' GROUP BY s.id, s.departs_at ORDER BY people DESC, s.id LIMIT 20`,
  },
  {
    asks: 'what each vessel earned on a day',
    text: `SELECT v.name, (SELECT sum(b.value) FROM booking b JOIN sailing s ON s.id = b.sailing_id
        WHERE s.vessel_id = v.id AND s.departs_at >= '2025-06-20' AND s.departs_at < '2025-06-21') AS earned
      FROM vessel v ORDER BY v.name`,
  },
  {
    asks: 'cancelled bookings with a payment that was taken',
    text: `SELECT b.id, b.ref FROM booking b WHERE b.state = 'refunded' AND EXISTS (
        SELECT 1 FROM payment p WHERE p.booking_id = b.id AND NOT p.failed) ORDER BY b.id`,
  },
  {
    asks: 'how many of each kind of vehicle went in a month',
    text: `SELECT p.vehicle, count(*) FROM passage p JOIN booking b ON b.id = p.booking_id JOIN sailing s ON s.id = b.sailing_id
      WHERE s.departs_at >= '2024-09-01' AND s.departs_at < '2024-10-01' AND p.vehicle IS NOT NULL GROUP BY p.vehicle ORDER BY p.vehicle`,
  },
  {
    asks: 'guests by their address, whatever its case',
    text: "SELECT id, email, since FROM guest WHERE lower(email) = 'guest.20417@mail.example'",
  },
  {
    asks: 'bookings of a guest, the latest first',
    text: 'SELECT id, ref, made_at, value FROM booking WHERE guest_id = 3517 ORDER BY made_at DESC LIMIT 10',
  },
  {
    asks: 'dear ones, or those from a coach',
    text: `SELECT count(*), sum(value) FROM booking WHERE (value > 549 OR channel = 'coach' AND value > 540) AND made_at >= '2024-03-01' AND made_at < '2025-11-01'`,
  },
  {
    asks: 'the thousandth page of payments',
    text: 'SELECT id, booking_id, paid_at, amount, method FROM payment ORDER BY paid_at, id LIMIT 50 OFFSET 50000',
  },
  {
    asks: 'the first sailing of each vessel in a year',
    text: `SELECT vessel_id, id, departs_at FROM (
        SELECT vessel_id, id, departs_at, row_number() OVER (PARTITION BY vessel_id ORDER BY departs_at, id) AS n
        FROM sailing WHERE departs_at >= '2025-01-01') x WHERE n = 1 ORDER BY vessel_id`,
  },
  {
    asks: 'how many guests booked in each channel',
    text: 'SELECT channel, count(DISTINCT guest_id) FROM booking GROUP BY channel ORDER BY channel',
  },
  {
    asks: 'islands from which a booking was refunded',
    text: `SELECT DISTINCT i.id, i.name FROM island i JOIN sailing s ON s.from_island = i.id JOIN booking b ON b.sailing_id = s.id
      WHERE b.state = 'refunded' AND b.value > 540 ORDER BY i.id`,
  },
  {
    asks: 'guests with more than a handful of cancelled bookings',
    text: `SELECT g.id, g.email FROM guest g WHERE g.since < '2012-03-01'
      AND (SELECT count(*) FROM booking b WHERE b.guest_id = g.id AND b.state = 'cancelled') > 0 ORDER BY g.id`,
  },
  {
    asks: 'paid against what was booked, per quarter',
    text: `WITH paid AS (SELECT booking_id, sum(amount) AS amount FROM payment WHERE NOT failed GROUP BY booking_id)
      SELECT date_trunc('quarter', b.made_at) AS quarter, sum(b.value), sum(paid.amount) FROM booking b LEFT JOIN paid ON paid.booking_id = b.id
      WHERE b.made_at >= '2025-01-01' AND b.made_at < '2025-04-01' GROUP BY 1 ORDER BY 1`,
  },
  {
    asks: 'young passengers of a region in a week',
    text: `SELECT count(*) FROM passage p JOIN booking b ON b.id = p.booking_id JOIN sailing s ON s.id = b.sailing_id JOIN island i ON i.id = s.to_island
      WHERE i.region = 'skerries' AND p.age < 12 AND s.departs_at >= '2025-07-07' AND s.departs_at < '2025-07-14'`,
  },
  {
    asks: 'invoices that failed within an hour',
    text: `SELECT id, booking_id, amount FROM payment WHERE failed AND method = 'invoice' AND date_trunc('hour', paid_at) = '2025-02-03 10:00+00' ORDER BY id`,
  },
  {
    asks: 'sailings on which nobody was booked',
    text: `SELECT s.id, s.departs_at FROM sailing s LEFT JOIN booking b ON b.sailing_id = s.id
      WHERE b.id IS NULL AND s.departs_at >= '2025-08-01' AND s.departs_at < '2025-09-01' ORDER BY s.id`,
  },
  {
    asks: 'a list of references, as a spreadsheet pastes it',
    text: `SELECT b.id, b.ref, b.value, g.email FROM booking b LEFT JOIN guest g ON g.id = b.guest_id
      WHERE b.guest_id IN (11, 219, 3140, 5201, 7702, 9113, 12044, 15120, 17001, 20333) ORDER BY b.id`,
  },
  {
    asks: 'what a channel brought per language',
    text: `SELECT g.language, b.channel, count(*), sum(b.value) FROM booking b JOIN guest g ON g.id = b.guest_id
      WHERE b.made_at >= '2025-01-01' GROUP BY g.language, b.channel ORDER BY g.language, b.channel`,
  },
];
