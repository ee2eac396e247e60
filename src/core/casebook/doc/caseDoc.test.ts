import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import * as Y from 'yjs';
import { contentSchema } from '../../../formats/casebook/caseSchema.ts';
import { type CaseContent, EMPTY_CASE } from '../caseContent.ts';
import {
  caseText,
  fillCase,
  memberText,
  putMember,
  readCase,
  removeMember,
  rewriteCase,
  setCase,
  setImpact,
  setMember,
} from './caseDoc.ts';

const FULL: CaseContent = {
  ...EMPTY_CASE,
  title: 'Change a booking hung for 29 minutes',
  state: 'handed over',
  since: 1000,
  until: 2000,
  where: 'entry is PUT /bookings/{ref}',
  countsRequests: false,
  visitsOf: 'quayside-web',
  keptBy: 'Ines Halloran',
  team: 'Platform',
  notes: '# Notes\n\nof *that* night',
  helped: 'The question was answered.',
  impact: { people: 171 },
  incidents: [7],
  entries: [{ id: 'a', at: 1500, page: 'Now', text: 'It hangs', pins: ['p1'], by: 'Ines Halloran' }],
  hypotheses: [{ id: 'h', order: 1, text: 'A lock', standing: 'holds', reason: 'seen', for: ['p1'], against: [] }],
  asked: [{ id: 'q', order: 1, text: 'Ask before the transaction' }],
  marks: [{ id: 'm', at: 1200, text: 'roll-over begins' }],
};

function docOf(content: CaseContent): Y.Doc {
  const doc = new Y.Doc();
  fillCase(doc, content);
  return doc;
}

/** A second copy, as another browser has it. */
function copyOf(doc: Y.Doc): Y.Doc {
  const copy = new Y.Doc();
  Y.applyUpdate(copy, Y.encodeStateAsUpdate(doc));
  return copy;
}

function merge(a: Y.Doc, b: Y.Doc): void {
  const [ofA, ofB] = [Y.encodeStateAsUpdate(a), Y.encodeStateAsUpdate(b)];
  Y.applyUpdate(a, ofB);
  Y.applyUpdate(b, ofA);
}

describe('a case as a document', () => {
  it('says what it was filled with', () => {
    expect(readCase(docOf(FULL))).toEqual(FULL);
    expect(readCase(docOf(EMPTY_CASE))).toEqual(EMPTY_CASE);
  });

  it('has entries in order of time, hypotheses and what is asked in their own order', () => {
    const doc = docOf(EMPTY_CASE);
    for (const [id, at] of [
      ['late', 30],
      ['early', 10],
      ['middle', 20],
    ] as const)
      putMember(doc, 'entries', { id, at, page: '', text: id, pins: [], by: '' });
    for (const [id, order] of [
      ['second', 2],
      ['first', 1],
    ] as const)
      putMember(doc, 'asked', { id, order, text: id });
    expect(readCase(doc).entries.map(({ id }) => id)).toEqual(['early', 'middle', 'late']);
    expect(readCase(doc).asked.map(({ id }) => id)).toEqual(['first', 'second']);
  });

  it('keeps the words of both who write in one text at once', () => {
    const here = docOf(FULL);
    const there = copyOf(here);
    caseText(here, 'title')!.insert(0, 'Sat: ');
    caseText(there, 'title')!.insert(FULL.title.length, ', behind a job');
    memberText(here, 'entries', 'a', 'text')!.insert(0, 'Yes. ');
    memberText(there, 'entries', 'a', 'text')!.insert(8, ' for all');
    merge(here, there);
    expect(readCase(here)).toEqual(readCase(there));
    expect(readCase(here).title).toBe(`Sat: ${FULL.title}, behind a job`);
    expect(readCase(here).entries[0].text).toBe('Yes. It hangs for all');
  });

  it('comes out the same in whatever order changes arrive, and none of the text is lost', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.boolean(), fc.nat(20), fc.stringMatching(/^[a-z]{1,6}$/)), { maxLength: 20 }),
        (writes) => {
          const here = docOf(EMPTY_CASE);
          const there = copyOf(here);
          for (const [isHere, at, word] of writes) {
            const text = caseText(isHere ? here : there, 'notes')!;
            text.insert(Math.min(at, text.length), word);
          }
          merge(here, there);
          const { notes } = readCase(here);
          expect(notes).toBe(readCase(there).notes);
          expect([...notes].sort().join('')).toBe([...writes.map(([, , word]) => word).join('')].sort().join(''));
        },
      ),
    );
  });

  it('lets one remove an entry while another writes in it: the entry is gone for both, what is beside it stays', () => {
    const here = docOf(FULL);
    const there = copyOf(here);
    removeMember(here, 'entries', 'a');
    memberText(there, 'entries', 'a', 'text')!.insert(0, 'more ');
    setMember(there, 'hypotheses', 'h', { standing: 'ruled out' });
    merge(here, there);
    expect(readCase(here)).toEqual(readCase(there));
    expect(readCase(here).entries).toEqual([]);
    expect(readCase(here).hypotheses[0].standing).toBe('ruled out');
  });

  it('takes a figure that a person set, and goes back to what is worked out', () => {
    const doc = docOf(EMPTY_CASE);
    setImpact(doc, 'people', 12);
    expect(readCase(doc).impact).toEqual({ people: 12 });
    setImpact(doc, 'people', undefined);
    expect(readCase(doc).impact).toEqual({});
  });

  it('is undone step by step', () => {
    const doc = docOf(FULL);
    const undo = new Y.UndoManager(doc.getMap('case'), { captureTimeout: 0 });
    removeMember(doc, 'entries', 'a');
    setCase(doc, { until: null });
    undo.undo();
    undo.undo();
    expect(readCase(doc)).toEqual(FULL);
  });

  it('says again what an earlier version said', () => {
    const doc = docOf({ ...EMPTY_CASE, title: 'other', entries: [{ id: 'z', at: 1, page: '', text: 'new', pins: [], by: '' }] });
    rewriteCase(doc, { ...FULL, incidents: [] });
    expect(readCase(doc)).toEqual({ ...FULL, incidents: [] });
  });
});

describe('a document from anywhere', () => {
  it('is read as far as it is one: what is of the wrong kind is left out', () => {
    const doc = new Y.Doc();
    const map = doc.getMap('case');
    map.set('title', 12);
    map.set('state', 'on fire');
    map.set('since', Number.NaN);
    map.set('until', 1e300);
    map.set('where', 'entry isnt what');
    map.set(
      'impact',
      new Y.Map([
        ['people', 'many'],
        ['failed', 3],
      ]),
    );
    map.set(
      'incidents',
      new Y.Map([
        ['x', true],
        ['-1', true],
        ['4', true],
      ]),
    );
    map.set(
      'entries',
      new Y.Map<unknown>([
        ['a', 'text'],
        [
          'b',
          new Y.Map<unknown>([
            ['at', -1],
            ['pins', ['ok', 5]],
          ]),
        ],
      ]),
    );
    map.set('hypotheses', 'none');
    const read = readCase(doc);
    expect(read).toMatchObject({
      title: '',
      state: 'open',
      since: null,
      until: null,
      where: '',
      impact: { failed: 3 },
      incidents: [4],
    });
    expect(read.entries).toEqual([{ id: 'b', at: 0, page: '', text: '', pins: ['ok'], by: '' }]);
    expect(read.hypotheses).toEqual([]);
  });

  it('holds nothing that cannot be stored or would not be read again', () => {
    const doc = docOf(EMPTY_CASE);
    caseText(doc, 'title')!.insert(0, `${'x'.repeat(299)}\u{1f6a2}`);
    caseText(doc, 'notes')!.insert(0, 'a\0b');
    const map = doc.getMap('case');
    map.set(
      'incidents',
      new Y.Map([
        ['99999999999999999999', true],
        ['3', true],
      ]),
    );
    putMember(doc, 'marks', { id: '', at: 1, text: 'without an id' });
    putMember(doc, 'entries', { id: 'e', at: 1, page: '', text: '', pins: ['', 'p'], by: '' });
    const read = readCase(doc);
    expect([read.title.at(-1), read.notes, read.incidents, read.marks, read.entries[0].pins]).toEqual([
      '\ufffd',
      'ab',
      [3],
      [],
      ['p'],
    ]);
    expect(contentSchema.safeParse(read).error).toBeUndefined();
  });

  it('is cut where it is endless', () => {
    const doc = docOf(EMPTY_CASE);
    caseText(doc, 'title')!.insert(0, 'x'.repeat(5_000));
    for (let at = 0; at < 600; at++) putMember(doc, 'marks', { id: `m${at}`, at, text: '' });
    expect(readCase(doc).title).toHaveLength(300);
    expect(readCase(doc).marks).toHaveLength(500);
  });
});
