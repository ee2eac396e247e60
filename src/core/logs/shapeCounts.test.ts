import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { codesOf, type Segment } from '../columns/segment.ts';
import { LogSegmentWriter, SHAPE } from './logColumns.ts';
import { LogSummary } from './logSummary.ts';
import { maskLine } from './maskLine.ts';
import { textReader } from './matchText.ts';
import { apartTemplate, type DecidedShape, jointTemplate, ShapeCounts } from './shapeCounts.ts';
import { ShapeTree } from './shapeTree.ts';
import { HOLE, shapeId, templateText } from './template.ts';

/** Lines as a segment, with the shapes that were found. */
function read(texts: readonly string[]): { segment: Segment; shapes: Map<string, DecidedShape>; ids: string[] } {
  const tree = new ShapeTree();
  const writer = new LogSegmentWriter();
  const ids: string[] = [];
  for (const [at, text] of texts.entries()) {
    const matched = tree.match(maskLine(text));
    ids.push(matched.shape.id);
    writer.add(
      {
        time: at * 1e6,
        severity: 9,
        service: 'jetty',
        instance: '',
        trace: Number.NaN,
        text,
        block: 1,
        index: at,
        attributes: new Map(),
      },
      matched,
    );
  }
  const shapes = new Map<string, DecidedShape>();
  for (const [id, shape] of tree.changed) shapes.set(id, { ...shape, joinedTo: null, apartOf: null });
  return { segment: writer.finish(), shapes, ids };
}

/** How many lines are counted as each shape, by its text. */
function counted(segment: Segment, counts: ShapeCounts): Record<string, number> {
  const { values, texts } = codesOf(counts.tellApart(segment), SHAPE);
  const found: Record<string, number> = {};
  for (const code of values) {
    const text = templateText(counts.template(counts.countedAs(texts[code - 1])) ?? ['?']);
    found[text] = (found[text] ?? 0) + 1;
  }
  return found;
}

function decide(shapes: Map<string, DecidedShape>, ...changes: DecidedShape[]): ShapeCounts {
  return new ShapeCounts(new Map([...shapes, ...changes.map((it) => [it.id, it] as const)]));
}

const TRIES = ['attempt 1 of 3 for ann', 'attempt 2 of 3 for ann', 'attempt 3 of 3 for ann', 'attempt 1 of 3 for bob'];

describe('a shape told apart', () => {
  it('counts the lines with a value in a hole as shapes of their own, the others as before', () => {
    const { segment, shapes, ids } = read(TRIES);
    const general = new ShapeCounts(shapes).countedAs(ids[0]);
    const first = apartTemplate(shapes.get(general)!.template, 0, '1');
    const counts = decide(shapes, { ...shapes.get(general)!, ...first, countedAs: first.id, apartOf: general });
    expect(counted(segment, counts)).toEqual({ 'attempt 1 of … for …': 2, 'attempt … of … for …': 2 });
    expect(counts.apartOf(general)).toEqual([first.id]);
  });

  it('has the texts and values of its lines as they came', () => {
    const { segment, shapes, ids } = read(TRIES);
    const general = new ShapeCounts(shapes).countedAs(ids[0]);
    const first = apartTemplate(shapes.get(general)!.template, 0, '1');
    const counts = decide(shapes, { ...shapes.get(general)!, ...first, countedAs: first.id, apartOf: general });
    const apart = counts.tellApart(segment);
    const text = textReader(apart, (id) => counts.own(id));
    expect(TRIES.map((_, row) => text(row))).toEqual(TRIES);
    const summary = new LogSummary({ stepMs: 1_000, litFrom: 0, litStretches: 1, beforeFrom: 0, beforeStretches: 1 });
    summary.add('lit', apart, 0, Uint32Array.of(0, 1, 2, 3), (id) => ({
      id: counts.countedAs(id),
      own: counts.own(id)!,
      template: counts.template(counts.countedAs(id))!,
    }));
    // What is left to vary of “attempt 1”: the names, not the number of the attempt.
    expect(summary.shapes.get(first.id)!.holes.map(({ values }) => [...values.keys()])).toEqual([['3'], ['ann', 'bob']]);
  });

  it('can be told apart again, the more particular before the other', () => {
    const { segment, shapes, ids } = read(TRIES);
    const general = new ShapeCounts(shapes).countedAs(ids[0]);
    const first = apartTemplate(shapes.get(general)!.template, 0, '1');
    const bob = apartTemplate(first.template, 1, 'bob');
    const base = shapes.get(general)!;
    const counts = decide(
      shapes,
      { ...base, ...first, countedAs: first.id, apartOf: general },
      { ...base, ...bob, countedAs: bob.id, apartOf: first.id },
    );
    expect(counted(segment, counts)).toEqual({
      'attempt 1 of … for …': 1,
      'attempt 1 of … for bob': 1,
      'attempt … of … for …': 2,
    });
  });

  it('is matched by no line in the tree, so that it can be taken back', () => {
    const { shapes, ids } = read(TRIES);
    const general = new ShapeCounts(shapes).countedAs(ids[0]);
    const first = apartTemplate(shapes.get(general)!.template, 0, '1');
    const tree = new ShapeTree([...shapes.values(), { ...first, countedAs: first.id, coarse: false, apartOf: general }]);
    expect(tree.match(maskLine('attempt 1 of 3 for cyn')).shape.id).toBe(general);
    expect(tree.changed.size).toBe(0);
  });
});

describe('shapes counted together', () => {
  const LINES = ['mail for ann was sent now', 'mail for ann was lost now', 'mail for ann was lost now', 'queue is empty'];

  it('are one, and lines of any template that the tree makes of them later are of it too', () => {
    const { segment, shapes, ids } = read(LINES.slice(0, 3).concat(LINES[3]));
    const [sent, lost, , empty] = ids.map((id) => new ShapeCounts(shapes).countedAs(id));
    // The tree may have found them to be one by itself: then there is nothing to decide.
    const a = shapes.get(sent)!;
    const counts = decide(shapes, { ...a, joinedTo: empty });
    expect(counts.countedAs(sent)).toBe(empty);
    expect(counts.joinedAs(empty)).toContain(sent);
    expect(Object.values(counted(segment, counts)).reduce((sum, it) => sum + it, 0)).toBe(4);
    // What becomes more general keeps the decision.
    const wider = shapeId(['x']);
    const later = decide(
      shapes,
      { ...a, joinedTo: empty, countedAs: wider },
      { id: wider, template: ['x'], countedAs: wider, coarse: false, joinedTo: null, apartOf: null },
    );
    expect(later.countedAs(wider)).toBe(empty);
    expect(later.countedAs(sent)).toBe(empty);
    expect(lost).toBeDefined();
  });

  it('have what their words share as their template, when they stand in the same places', () => {
    const [a, b] = ['boat is late', 'boat is gone'].map((text) => maskLine(text).parts);
    expect(templateText(jointTemplate([a, b])!)).toBe('boat is …');
    expect(jointTemplate([a, maskLine('boat: is late').parts])).toBeUndefined();
  });

  it('end somewhere even when a store says that they go in a circle', () => {
    const shape = (id: string, joinedTo: string): DecidedShape => ({
      id,
      template: [id],
      countedAs: id,
      coarse: false,
      joinedTo,
      apartOf: null,
    });
    const counts = new ShapeCounts(new Map([shape('a', 'b'), shape('b', 'a')].map((it) => [it.id, it])));
    expect(['a', 'b']).toContain(counts.countedAs('a'));
  });
});

describe('a template with one hole filled', () => {
  it('is filled where it is asked, and nowhere else', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('word', HOLE, `a${HOLE}b`), { minLength: 1, maxLength: 6 }),
        fc.nat(5),
        (words, at) => {
          const template = ['', ...words.flatMap((word) => [word, ' '])];
          const holes = template.join('').split(HOLE).length - 1;
          fc.pre(holes > 0);
          const hole = at % holes;
          const pieces = template.join('').split(HOLE);
          const expected = pieces
            .map((text, index) => (index === 0 ? text : `${index - 1 === hole ? '7' : HOLE}${text}`))
            .join('');
          expect(apartTemplate(template, hole, '7').template.join('')).toBe(expected);
        },
      ),
    );
  });
});
