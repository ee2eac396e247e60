import type { randomFrom } from '../../tests/support/made/random.ts';

/*
 * Databases with one thing wrong in each, and what would mend it. Names, sizes, types and what is beside the thing are drawn, with what makes
 * changed texts give other rows: nulls, duplicates, empty tables, texts that sort by other rules, times around a change of the clock.
 */

/** One database, a statement that is slow there, and what mends it. */
export interface Planted {
  readonly kind: string;
  readonly schema: string;
  readonly text: string;
  /** Commands and the text by which it is fast; the text as it is when that stays. */
  readonly remedy: { readonly commands: readonly string[]; readonly text: string };
}

const NAMES = [
  'crate',
  'mooring',
  'roster',
  'ticket',
  'parcel',
  'buoy',
  'locker',
  'permit',
  'shift',
  'waybill',
  'stall',
  'cable',
];
const COLUMNS = ['grade', 'owner', 'berth', 'weight', 'zone', 'tier', 'source', 'party', 'batch', 'rank', 'crew', 'lane'];

interface Drawn {
  readonly main: string;
  readonly other: string;
  readonly empty: string;
  /** Names of columns of the main table, none twice. */
  readonly c: readonly string[];
  readonly rows: number;
  readonly others: number;
  /** A number that is drawn, from the first to before the last. */
  readonly int: (from: number, to: number) => number;
}

/** Two tables that refer to each other and an empty one; the main one has nulls and duplicates in all but its key. */
function tables({ main, other, empty, c, rows, others }: Drawn, filler: number): string {
  const [a, b, d, e, f] = c;
  return `
CREATE TABLE ${other} (id int PRIMARY KEY, name text NOT NULL, ${e} int, ${f} text COLLATE "C");
INSERT INTO ${other} SELECT g, CASE g % 3 WHEN 0 THEN 'Ä' WHEN 1 THEN 'a' ELSE 'B' END || g, CASE WHEN g % 6 > 0 THEN g % 50 END, CASE WHEN g % 4 > 0 THEN 'z' || g % 9 END
FROM generate_series(1, ${others}) g;
CREATE TABLE ${main} (id int PRIMARY KEY, ${other}_id int, ${a} int, ${b} int, ${d} text, at timestamptz NOT NULL, note text);
INSERT INTO ${main} SELECT g, CASE WHEN g % 17 > 0 THEN 1 + (hashint4(g) & 2147483647) % ${others} END, CASE WHEN g % 9 > 0 THEN (hashint4(g * 3) & 2147483647) % ${Math.round(rows / 40)} END,
  CASE WHEN g % 5 > 0 THEN (hashint4(g * 7) & 2147483647) % 60 END, CASE WHEN g % 8 > 0 THEN (ARRAY['Oak', 'oak', 'ash', 'Elm', 'Ärm'])[1 + (hashint4(g * 5) & 3)] || (hashint4(g * 13) & 1023) END,
  timestamptz '2026-03-20 00:00+00' + g * (interval '20 days' / ${rows}), repeat('x', ${filler}) FROM generate_series(1, ${rows}) g;
CREATE TABLE ${empty} (id int, ${a} int);
`;
}

/** So little that a list of some thousand numbers is not kept hashed. */
const LITTLE_MEMORY = `DO $$ BEGIN EXECUTE format('ALTER DATABASE %I SET work_mem = ''64kB''', current_database()); END $$;`;

type Make = (it: Drawn) => Omit<Planted, 'kind' | 'schema'> & { readonly more?: string };

const KINDS: Readonly<Record<string, Make>> = {
  'an index on a reference': ({ main, c, int }) => ({
    text: `SELECT id, ${c[1]} FROM ${main} WHERE ${c[0]} = ${int(1, 400)} ORDER BY id`,
    remedy: {
      commands: [`CREATE INDEX ON ${main} (${c[0]})`],
      text: '',
    },
  }),
  'an index on two columns': ({ main, c, int }) => ({
    text: `SELECT id, ${c[2]} FROM ${main} WHERE ${c[1]} = ${int(1, 59)} AND at >= '2026-03-${int(22, 29)} 12:00+00' ORDER BY at LIMIT ${int(5, 30)}`,
    remedy: { commands: [`CREATE INDEX ON ${main} (${c[1]}, at)`], text: '' },
  }),
  'an index for an order': ({ main, c, int }) => ({
    text: `SELECT id, ${c[0]} FROM ${main} WHERE ${c[0]} IS NOT NULL ORDER BY ${c[0]} DESC, id LIMIT ${int(5, 40)}`,
    remedy: { commands: [`CREATE INDEX ON ${main} (${c[0]} DESC, id)`], text: '' },
  }),
  'an index on an expression': ({ main, c, int }) => ({
    text: `SELECT id, at FROM ${main} WHERE lower(${c[2]}) = 'oak${int(1, 900)}' ORDER BY id`,
    remedy: { commands: [`CREATE INDEX ON ${main} (lower(${c[2]}))`], text: '' },
  }),
  'an index for a join': ({ main, other, c, int }) => ({
    text: `SELECT o.id, o.name, count(m.id) FROM ${other} o JOIN ${main} m ON m.${other}_id = o.id WHERE o.id IN (${int(10, 40)}, ${int(41, 80)}) AND m.${c[1]} < 30 GROUP BY o.id, o.name ORDER BY o.id`,
    remedy: { commands: [`CREATE INDEX ON ${main} (${other}_id)`], text: '' },
  }),
  'a day that no index can serve': ({ main, c, int }) => {
    const day = int(21, 37);
    const date = (add: number) =>
      `2026-${day + add > 31 ? '04' : '03'}-${String(day + add > 31 ? day + add - 31 : day + add).padStart(2, '0')}`;
    return {
      more: `CREATE INDEX ON ${main} (at);`,
      text: `SELECT ${c[1]}, count(*) FROM ${main} WHERE at::date = '${date(0)}' GROUP BY ${c[1]} ORDER BY ${c[1]}`,
      remedy: {
        commands: [],
        text: `SELECT ${c[1]}, count(*) FROM ${main} WHERE at >= '${date(0)}'::date AND at < '${date(1)}'::date GROUP BY ${c[1]} ORDER BY ${c[1]}`,
      },
    };
  },
  'a sum that is asked for again and again': ({ main, other, c, int }) => {
    const few = `o.id < ${int(30, 60)}`;
    return {
      text: `SELECT o.id, (SELECT sum(m.${c[0]}) FROM ${main} m WHERE m.${other}_id = o.id) AS whole FROM ${other} o WHERE ${few} ORDER BY o.id`,
      remedy: {
        commands: [],
        text: `SELECT o.id, s.whole FROM ${other} o LEFT JOIN (SELECT ${other}_id, sum(${c[0]}) AS whole FROM ${main} GROUP BY 1) s ON s.${other}_id = o.id WHERE ${few} ORDER BY o.id`,
      },
    };
  },
  'a NOT IN over more than fits': ({ main, c, int }) => {
    const most = int(300, 600);
    return {
      more: `${LITTLE_MEMORY} CREATE INDEX ON ${main} (${c[0]});`,
      text: `SELECT count(*) FROM ${main} m WHERE m.id < ${most} AND m.id NOT IN (SELECT n.${c[0]} FROM ${main} n WHERE n.${c[0]} IS NOT NULL)`,
      remedy: {
        commands: [],
        text: `SELECT count(*) FROM ${main} m WHERE m.id < ${most} AND NOT EXISTS (SELECT 1 FROM ${main} n WHERE n.${c[0]} = m.id)`,
      },
    };
  },
  'an OR over two tables': ({ main, other, c, int }) => {
    const [value, name] = [int(1, 400), int(2, 90)];
    return {
      more: `CREATE INDEX ON ${main} (${c[0]}); CREATE INDEX ON ${main} (${other}_id);`,
      text: `SELECT m.id FROM ${main} m LEFT JOIN ${other} o ON o.id = m.${other}_id WHERE m.${c[0]} = ${value} OR o.id = ${name} ORDER BY m.id`,
      remedy: {
        commands: [],
        text: `SELECT id FROM (SELECT id FROM ${main} WHERE ${c[0]} = ${value} UNION SELECT id FROM ${main} WHERE ${other}_id = ${name}) u ORDER BY id`,
      },
    };
  },
  'a page far behind': ({ main, c, int }) => {
    const offset = int(20_000, 30_000);
    return {
      // Rows lie in another order than they are asked for in.
      more: `UPDATE ${main} SET at = at + (hashint4(id) & 1023) * interval '1 minute', note = repeat('y', 200); CREATE INDEX ON ${main} (at, id);`,
      text: `SELECT m.id, m.${c[2]}, m.note FROM ${main} m ORDER BY m.at, m.id LIMIT 20 OFFSET ${offset}`,
      remedy: {
        commands: [],
        text: `SELECT m.id, m.${c[2]}, m.note FROM (SELECT id, at FROM ${main} ORDER BY at, id LIMIT 20 OFFSET ${offset}) k JOIN ${main} m ON m.id = k.id ORDER BY k.at, k.id`,
      },
    };
  },
  'few values of many rows': ({ main, other }) => ({
    more: `CREATE INDEX ON ${main} (${other}_id);`,
    text: `SELECT DISTINCT ${other}_id FROM ${main}`,
    remedy: {
      commands: [],
      text: `WITH RECURSIVE v AS ((SELECT ${other}_id FROM ${main} WHERE ${other}_id IS NOT NULL ORDER BY 1 LIMIT 1) UNION ALL SELECT (SELECT m.${other}_id FROM ${main} m WHERE m.${other}_id > v.${other}_id ORDER BY 1 LIMIT 1) FROM v WHERE v.${other}_id IS NOT NULL) SELECT ${other}_id FROM v WHERE ${other}_id IS NOT NULL UNION ALL SELECT NULL WHERE EXISTS (SELECT 1 FROM ${main} WHERE ${other}_id IS NULL)`,
    },
  }),
  'all counted where one is enough': ({ main, other, c }) => ({
    more: `CREATE INDEX ON ${main} (${other}_id);`,
    text: `SELECT o.id FROM ${other} o WHERE (SELECT count(*) FROM ${main} m WHERE m.${other}_id = o.id AND m.${c[1]} < 55) > 0 ORDER BY o.id`,
    remedy: {
      commands: [],
      text: `SELECT o.id FROM ${other} o WHERE EXISTS (SELECT 1 FROM ${main} m WHERE m.${other}_id = o.id AND m.${c[1]} < 55) ORDER BY o.id`,
    },
  }),
};

export const PLANTED_KINDS = Object.keys(KINDS);

/** Makes one. @param kind one of `PLANTED_KINDS` */
export function planted(kind: string, random: ReturnType<typeof randomFrom>): Planted {
  const int = (from: number, to: number) => from + random.below(to - from);
  const [main, other, empty] = random.shuffled(NAMES);
  const own: Drawn = {
    main,
    other,
    empty,
    c: random.shuffled(COLUMNS),
    rows: int(60_000, 160_000),
    others: int(300, 900),
    int,
  };
  const { text, remedy, more = '' } = KINDS[kind](own);
  return {
    kind,
    schema: tables(own, int(20, 160)) + more,
    text,
    remedy: { ...remedy, text: remedy.text || text },
  };
}
