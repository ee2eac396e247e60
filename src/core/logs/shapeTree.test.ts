import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { styledLogs } from '../../../tests/support/made/logStyles.ts';
import { maskLine } from './maskLine.ts';
import { messageOf } from './messageOf.ts';
import { MOST_STORED, ShapeTree } from './shapeTree.ts';
import { fill, HOLE, holesOf, piecesOf, shapeId, templateText } from './template.ts';

const match = (tree: ShapeTree, text: string) => tree.match(maskLine(messageOf(text)));
/** The shape that each line is counted as, once all are read. */
function groupsOf(tree: ShapeTree, texts: readonly string[]): string[] {
  const ids = texts.map((text) => match(tree, text).shape.id);
  const last = (id: string): string => {
    const next = tree.changed.get(id)?.countedAs ?? id;
    return next === id ? id : last(next);
  };
  return ids.map(last);
}

describe('a line in parts', () => {
  it('has what varies masked, whole words and parts of words', () => {
    const { parts, values } = maskLine('layout solved for coach with 5 slots, lane-11 in 41ms');
    expect(parts.join('')).toBe(`layout solved for coach with ${HOLE} slots, lane-${HOLE} in ${HOLE}ms`);
    expect(values.flat()).toEqual(['5', '11', '41']);
  });

  it('keeps identifiers, times and addresses whole', () => {
    const text = 'OR7C41E9 at 2026-11-27T15:41:07.318Z from 10.0.3.7:4431 is 6f9619ff-8b86-d011-b42d-00c04fc964ff';
    expect(maskLine(text).values.flat()).toEqual([
      'OR7C41E9',
      '2026-11-27T15:41:07.318Z',
      '10.0.3.7:4431',
      '6f9619ff-8b86-d011-b42d-00c04fc964ff',
    ]);
  });

  it('can be put together again, whatever it is', () => {
    fc.assert(
      fc.property(fc.oneof(fc.string({ unit: 'grapheme' }), fc.stringMatching(/^[ -~\n]{0,200}$/)), (text) => {
        const line = maskLine(text.replaceAll(HOLE, ''));
        expect(line.parts.length % 2).toBe(1);
        expect(line.values.length).toBe((line.parts.length - 1) / 2);
        expect(fill(line.parts, line.values.flat())).toBe(text.replaceAll(HOLE, ''));
      }),
    );
  });

  it('of any length is read in a moment: 1 MB of what looks like a number', () => {
    for (const text of ['9'.repeat(1e6), 'a1'.repeat(5e5), `${' '.repeat(5e5)}1.1.1.`, 'x=('.repeat(3e5)])
      expect(fill(maskLine(text).parts, maskLine(text).values.flat())).toBe(text);
  });
});

describe('shapes', () => {
  it('are the same whatever order lines of one statement come in, and have the same id in another tree', () => {
    const texts = ['session opened for ann', 'session opened for bob', 'session opened for cyn.reed'];
    const ids = [texts, texts.toReversed()].map((list) => new Set(groupsOf(new ShapeTree(), list)));
    expect([...ids[0]]).toEqual([...ids[1]]);
    expect([...ids[0]]).toEqual([shapeId(['', 'session', ' ', 'opened', ' ', 'for', ' ', HOLE, ''])]);
  });

  it('remember what a narrower one has become', () => {
    const tree = new ShapeTree();
    const first = match(tree, 'mail for ann handed to the post').shape;
    const second = match(tree, 'mail for bob handed to the post').shape;
    expect(tree.changed.get(first.id)?.countedAs).toBe(second.id);
    // A tree that is made from what was stored finds the same.
    const again = new ShapeTree(tree.changed.values());
    expect(match(again, 'mail for dee handed to the post').shape.id).toBe(second.id);
    expect(again.changed.size).toBe(0);
  });

  it('that were joined because a word varies stay joined in a tree that is made from what was stored', () => {
    const tree = new ShapeTree();
    for (let at = 0; at < 40; at++)
      match(tree, `cache ${String.fromCharCode(97 + (at % 26))}${at < 26 ? 'x' : 'yz'} has room now`);
    const stored = [...tree.changed.values()];
    const joint = match(tree, 'cache another has room now').shape;
    expect(templateText(joint.template)).toBe('cache … has room now');
    // In whatever order they are read again; a word that was met before varies as much as a new one.
    for (const order of [stored, stored.toReversed()]) {
      const again = new ShapeTree(order);
      expect(match(again, 'cache unheard-of has room now').shape.id).toBe(joint.id);
      expect(again.changed.size).toBe(0);
      const third = new ShapeTree(order);
      expect(templateText(match(third, 'cache ax has space now').shape.template)).toBe('cache … has … now');
    }
  });

  it('give a line back from its template and values', () => {
    const tree = new ShapeTree();
    for (const text of ['mail "kept" for OR7C41E9 sent', 'mail "moved" for OR1D99A2 sent', 'mail "lost" for nobody sent']) {
      const { shape, values } = match(tree, text);
      expect(values.length).toBe(holesOf(shape.template));
      expect(fill(shape.template, values)).toBe(text);
    }
  });

  it('show their holes in pieces', () => {
    const { template } = match(new ShapeTree(), 'window of 7 minutes, lane-3').shape;
    expect(piecesOf(template)).toEqual(['window of ', { hole: 0 }, ' minutes, lane-', { hole: 1 }]);
    expect(templateText(template)).toBe('window of … minutes, lane-…');
  });

  it('of a structure are those of its message', () => {
    expect(messageOf('{"level":"info","message":"hold placed","ref":"X"}')).toBe('hold placed');
    expect(messageOf('level=info msg="hold \\"x\\" placed" ref=9')).toBe('hold \\"x\\" placed');
    expect(messageOf('{"a":1}')).toBe('{"a":1}');
    expect(messageOf('{broken')).toBe('{broken');
  });
});

/** The share of lines whose group holds all lines of one statement and no other (grouping accuracy, Zhu et al., ICSE-SEIP 2019). */
function groupingAccuracy(lines: readonly { readonly of: number }[], groups: readonly string[]): number {
  const truth = new Map<string, Set<number>>();
  for (const [at, group] of groups.entries()) truth.set(group, (truth.get(group) ?? new Set()).add(lines[at].of));
  const groupsOfStatement = new Map<number, Set<string>>();
  for (const [at, group] of groups.entries())
    groupsOfStatement.set(lines[at].of, (groupsOfStatement.get(lines[at].of) ?? new Set()).add(group));
  const right = lines.filter(({ of }, at) => truth.get(groups[at])!.size === 1 && groupsOfStatement.get(of)!.size === 1);
  return right.length / lines.length;
}

describe('grouping accuracy', () => {
  for (const { style, lines } of styledLogs(11, 150))
    it(`of ${style} is 0.95 at least`, () => {
      const groups = groupsOf(
        new ShapeTree(),
        lines.map(({ text }) => text),
      );
      expect(groupingAccuracy(lines, groups)).toBeGreaterThanOrEqual(0.95);
    });
});

describe('a stranger whose every line is another', () => {
  it('makes no more shapes than there may be; lines that come late find theirs still', () => {
    const tree = new ShapeTree();
    const letters = (n: number) => [...n.toString(26)].map((it) => String.fromCharCode(97 + Number.parseInt(it, 26))).join('');
    match(tree, 'session opened for ann');
    for (let n = 0; n < 60_000; n++)
      match(
        tree,
        `${letters(n)} ${letters(n * 7)}${n % 3 ? ':' : ','} ${letters(n * 13)}${'('.repeat(n % 50)} ${letters(n * 31)}`,
      );
    expect(tree.size).toBeLessThanOrEqual(MOST_STORED + 1);
    const { shape, values } = match(tree, 'session opened for bob');
    expect(fill(shape.template, values)).toBe('session opened for bob');
    const late = match(tree, '<<{late}>> :: [odd] ((line))');
    expect(late.shape.coarse).toBe(true);
    expect(fill(late.shape.template, late.values)).toBe('<<{late}>> :: [odd] ((line))');
  });
});
