import { describe, expect, it } from 'vitest';
import { isOwnFrame } from '../profile/ownFrame.ts';
import { ProfileSegmentWriter, profileRows } from '../profile/profileColumns.ts';
import type { Frame } from '../profile/stackSample.ts';
import { fileFacts } from './fileFacts.ts';
import { findings } from './findings.ts';
import { growth } from './growth.ts';
import { type Cell, HabitCells } from './habitCells.ts';
import { HeldMemories } from './heldMemory.ts';
import { matchStack } from './matchStack.ts';

const SCRIPT = `const PATTERN = /x/;
export function collect(items) {
  let text = '';
  for (const item of items) text += item.name;
  return text;
}
function parseAll(rows) {
  return rows.map((row) => JSON.parse(row));
}
function once(row) {
  return JSON.parse(row);
}
function pairs(slots) {
  let clashes = 0;
  for (const a of slots) {
    for (const b of slots) {
      if (a.from < b.to) clashes++;
    }
  }
  return clashes;
}
function matches(lines) {
  let found = 0;
  for (let at = 0; at < lines.length; at++) {
    if (new RegExp('a+' + at).test(lines[at])) found++;
  }
  return found;
}
function known(ids, all) {
  return ids.filter((id) => all.includes(id));
}
function grow(list) {
  let copy = [];
  for (const it of list) copy = [...copy, it];
  return copy;
}
function read(file) {
  return readFileSync(file);
}
async function loadAll(ids) {
  const found = [];
  for (const id of ids) found.push(await client.query('SELECT 1', [id]));
  return found;
}
function count(n) {
  let total = 0;
  for (let at = 0; at < n; at++) total += at;
  return total;
}
function chatty(rows) {
  for (const row of rows) logger.debug('row ' + row.id);
}
class Bin {
  add(thing) {
    this.items.push(thing);
  }
}
`;

const GO = `package layout

func (s *Solver) Solve(wanted []Slot) []Slot {
	for _, w := range wanted {
		if at, ok := s.fits(w, wanted); ok {
			placed = append(placed, at)
		}
	}
	return placed
}

func (s *Solver) fits(w Slot, wanted []Slot) (Slot, bool) {
	for _, free := range s.freeOf(w.Lane) {
		for _, other := range wanted {
			if overlaps(free, other) {
				return free, true
			}
		}
	}
	return Slot{}, false
}
`;

const PYTHON = `def build(rows):
    text = ""
    for row in rows:
        text += "," + row.name
    return [load(id) for id in rows]


def load(id):
    return row("SELECT 1", id)
`;

const JAVA = `final class Names {
    String join(List<Guest> guests) {
        String text = "";
        for (Guest guest : guests) {
            text += "," + guest.name();
        }
        return text;
    }

    boolean fits(String line) {
        return Pattern.compile("a+").matcher(line).find();
    }
}
`;

const FILES: Readonly<Record<string, string>> = { 'src/a.js': SCRIPT, 'solve.go': GO, 'load.py': PYTHON, 'Names.java': JAVA };
const read = new Map(Object.entries(FILES).map(([file, source]) => [file, fileFacts(source, file)!]));

function factsOf({ file, line }: Frame) {
  const of = read.get(file);
  const facts = of?.facts.get(line);
  return of && facts && { facts, by: of.by, file: of.facts };
}

/** The line of a file on which a text stands. */
const lineOf = (file: string, text: string) => FILES[file].split('\n').findIndex((it) => it.includes(text)) + 1;
const at = (name: string, file: string, text: string): Frame => ({ name, file, line: lineOf(file, text) });
const builtin = (name: string): Frame => ({ name, file: '', line: 0 });
const habitOf = (...frames: Frame[]) => {
  const match = matchStack(frames, { factsOf, isOwn: isOwnFrame });
  return match && [match.habit, match.place.line];
};

describe('habits of JavaScript, by its syntax', () => {
  const js = (name: string, text: string) => at(name, 'src/a.js', text);
  it.each([
    ['text in a loop', [js('collect', 'text += item.name')]],
    ['each with each', [js('pairs', 'a.from < b.to')]],
    ['pattern compiled again', [js('matches', 'new RegExp')]],
    ['list copied', [js('grow', '[...copy, it]')]],
    ['blocking call', [js('read', 'readFileSync(file)')]],
    ['unread logging', [js('chatty', 'logger.debug')]],
    ['sort or search in a loop', [builtin('includes'), js('known', 'all.includes')]],
    ['serialize in a loop', [builtin('parse'), js('(anonymous)', 'rows.map((row)')]],
  ] as const)('%s', (habit, frames) => expect(habitOf(...frames)).toEqual([habit, frames.at(-1)!.line]));

  it('one query for each item, where the request waits for it', () =>
    expect(
      habitOf({ name: 'query', file: 'node_modules/pg/lib/client.js', line: 5 }, js('loadAll', 'await client.query')),
    ).toEqual(['many small queries', lineOf('src/a.js', 'await client.query')]));

  it('are none where the same is done once, and none in a plain loop', () => {
    expect(
      habitOf(builtin('parse'), { ...js('once', 'function once'), line: lineOf('src/a.js', 'function once') + 1 }),
    ).toBeUndefined();
    expect(habitOf(js('count', 'total += at'))).toBeUndefined();
  });

  it('are found at the line that calls when only the beginning of the function is known', () =>
    expect(habitOf(builtin('includes'), { name: 'known', file: 'src/a.js', line: lineOf('src/a.js', 'ids.filter') })).toEqual([
      'sort or search in a loop',
      lineOf('src/a.js', 'all.includes'),
    ]));

  it('need the source: without it a sort is just a sort', () =>
    expect(habitOf(builtin('sort'), { name: 'order', file: 'src/unknown.js', line: 3 })).toBeUndefined());
});

describe('habits of other languages', () => {
  it('Go: each held against each, over two functions', () =>
    expect(
      habitOf(
        { name: 'x/layout.overlaps', file: 'other.go', line: 1 },
        at('x/layout.(*Solver).fits', 'solve.go', 'if overlaps'),
        at('x/layout.(*Solver).Solve', 'solve.go', 's.fits(w, wanted)'),
      ),
    ).toBeUndefined());
  it('Go: where the inner loop is known', () =>
    expect(
      habitOf(
        at('x/layout.(*Solver).fits', 'solve.go', 'if overlaps'),
        at('x/layout.(*Solver).Solve', 'solve.go', 's.fits(w, wanted)'),
      ),
    ).toEqual(['each with each', lineOf('solve.go', 'if overlaps')]));
  it('Go: not when the inner loop stands alone', () =>
    expect(habitOf(at('x/layout.(*Solver).fits', 'solve.go', 'if overlaps'))).toBeUndefined());
  it('Python: text in a loop', () => expect(habitOf(at('build', 'load.py', 'text +='))?.[0]).toBe('text in a loop'));
  it('Python: a query for each, in a comprehension of the caller', () =>
    expect(
      habitOf(
        { name: 'execute', file: 'site-packages/dbpool/cursor.py', line: 1 },
        at('load', 'load.py', 'SELECT 1'),
        at('build', 'load.py', 'load(id) for id'),
      ),
    ).toEqual(['many small queries', lineOf('load.py', 'SELECT 1')]));
  it('Java: text in a loop', () => expect(habitOf(at('Names.join', 'Names.java', 'text +='))?.[0]).toBe('text in a loop'));
  it('Java: a pattern compiled on each use, by the names of frames', () =>
    expect(
      habitOf(
        { name: 'java.util.regex.Pattern.compile', file: 'java/util/regex/Pattern.java', line: 1 },
        at('Names.fits', 'Names.java', 'Pattern'),
      ),
    ).toEqual(['pattern compiled again', lineOf('Names.java', 'Pattern')]));
  it('a wait for a lock, but not one for a connection', () => {
    const park = { name: 'jdk.internal.misc.Unsafe.park', file: 'jdk/Unsafe.java', line: 0 };
    const own = { name: 'reach.A.work', file: 'reach/A.java', line: 3 };
    expect(habitOf(park, own)).toEqual(['lock contention', 3]);
    expect(habitOf(park, { name: 'io.dbpool.Pool.acquire', file: 'io/dbpool/Pool.java', line: 1 }, own)).toBeUndefined();
  });
});

describe('findings against what is usual', () => {
  const HOUR = 3_600_000;
  const text = at('collect', 'src/a.js', 'text += item.name');
  const plain = at('count', 'src/a.js', 'total += at');

  /** Cells of hours: what share of a service's samples, in a version, is text in a loop. */
  function cellsOf(
    rows: readonly (readonly [service: string, version: string, hour: number, share: number, samples?: number])[],
  ): Cell[] {
    const cells = new HabitCells(() => factsOf, isOwnFrame);
    for (const [service, version, hour, share, samples = 1_000] of rows) {
      const writer = new ProfileSegmentWriter();
      const of = { time: 0, type: 'cpu', unit: 'nanoseconds', period: 1, version, instance: '' };
      writer.add(of, [
        { frames: [text], value: Math.round(share * samples) },
        { frames: [plain], value: samples - Math.round(share * samples) },
      ]);
      cells.add(service, profileRows(writer.finish()), hour * HOUR, 0, HOUR);
    }
    return cells.cells;
  }
  const LIT = { first: 10, last: 10 };
  const judge = (rows: Parameters<typeof cellsOf>[0]) =>
    findings(cellsOf(rows.filter(([, , hour]) => hour === 10)), cellsOf(rows), LIT, () => 'nodejs');
  const others = [1, 2, 3, 4, 5].map((n) => [`other${n}`, '1', 10, 0.01 * n] as const);

  it('name the version that came with it, its share, what is usual and what it costs beyond that', () => {
    const [first] = judge([...others, ['passes', '1', 8, 0.02], ['passes', '1', 9, 0.03], ['passes', '2', 10, 0.4]]);
    expect(first).toMatchObject({
      habit: 'text in a loop',
      service: 'passes',
      version: '2',
      verdict: 'over usual',
      samples: 400,
    });
    expect(first.place).toEqual(text);
    expect(first.share).toBeCloseTo(0.4, 6);
    expect(first.usual!.high).toBeLessThan(0.06);
    // (share − upper bound) × cost
    expect(first.overUsual).toBeCloseTo((0.4 - first.usual!.high) * 1_000, 3);
  });

  it('say nothing of a service that has always had it', () => {
    const always = [2, 4, 6, 8, 9, 10].map((hour) => ['fares', '1', hour, 0.3] as const);
    expect(judge([...others, ...always]).filter(({ verdict }) => verdict === 'over usual')).toEqual([]);
  });

  it('claim nothing on few samples', () =>
    expect(
      judge([...others, ['passes', '1', 9, 0, 50], ['passes', '2', 10, 0.5, 30]]).find((it) => it.service === 'passes')?.verdict,
    ).toBe('not enough data'));

  it('say that what is usual is not known where there is nothing to hold it against', () =>
    expect(judge([['alone', '1', 10, 0.5]])[0]).toMatchObject({ verdict: 'usual not known', usual: null, overUsual: null }));
});

describe('growth with a size', () => {
  const points = (power: number, noise: (n: number) => number) =>
    Array.from({ length: 40 }, (_, n) => [5 + 10 * n, 3 * (5 + 10 * n) ** power * noise(n)] as const);
  it.each([1, 2, 1.5])('is found as the power %f, with an interval around it', (power) => {
    const found = growth(points(power, (n) => 1 + 0.2 * Math.sin(n * 7)))!;
    expect(found.slope).toBeCloseTo(power, 1);
    expect(found.interval[0]).toBeLessThanOrEqual(found.slope);
    expect(found.interval[1]).toBeGreaterThanOrEqual(found.slope);
  });
  it('is not led astray by some that took ten times as long', () =>
    expect(growth(points(2, (n) => (n % 9 === 0 ? 10 : 1)))!.slope).toBeCloseTo(2, 1));
  it('is none of few points, and none of one size', () => {
    expect(
      growth([
        [1, 2],
        [2, 4],
      ]),
    ).toBeNull();
    expect(growth(Array.from({ length: 50 }, (_, n) => [7, n + 1] as const))).toBeNull();
  });
});

describe('memory that is kept', () => {
  const held = (values: readonly number[]) => {
    const memories = new HeldMemories();
    const writer = new ProfileSegmentWriter();
    const start: Frame = { name: 'add', file: 'src/a.js', line: lineOf('src/a.js', 'add(thing)') };
    for (const [n, value] of values.entries())
      writer.add({ time: n * 1_000, type: 'inuse_space', unit: 'bytes', period: 1, version: '1', instance: 'i' }, [
        { frames: [start], value },
        { frames: [plainFrame], value: 5_000_000 },
      ]);
    memories.add('notices', profileRows(writer.finish()), 0, 0, 1e9);
    return memories.growing(() => factsOf);
  };
  const plainFrame = at('count', 'src/a.js', 'let total');
  const MB = 1_000_000;

  it('is found at the line that puts it somewhere', () => {
    const [first, ...rest] = held([1 * MB, 3 * MB, 5 * MB, 8 * MB, 12 * MB, 15 * MB]);
    expect(rest).toEqual([]);
    expect(first).toMatchObject({ service: 'notices', first: MB, last: 15 * MB, looks: 6 });
    expect(first.place.line).toBe(lineOf('src/a.js', 'this.items.push'));
  });
  it('is not what goes up and down, what stays, and what was seen too seldom', () => {
    expect(held([1, 15, 2, 14, 3, 12, 1].map((it) => it * MB))).toEqual([]);
    expect(held([9, 9, 9, 9, 9, 9].map((it) => it * MB))).toEqual([]);
    expect(held([1, 5, 9].map((it) => it * MB))).toEqual([]);
  });
});
