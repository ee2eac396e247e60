import { describe, expect, it } from 'vitest';
import { orderLines } from '../../../../tests/support/made/orderLines.ts';
import { CommonFacts, type Fact } from './common.ts';
import { Groups } from './groups.ts';
import { isReference, KeySearch, nameOf } from './keys.ts';
import { stitch, usualSteps } from './loom.ts';

const SAYS = [
  ['basket', /^basket of (\S+) closed/],
  ['coins', /coins taken for (\S+)$/],
  ['packed', /^parcel (\S+) packed/],
  ['jammed', /parcel (\S+) put aside/],
  ['sent', /^parcel (\S+) on its way/],
  ['idle', /^looked after (\d+)/],
] as const;
const readOf = (text: string) => {
  const [shape, pattern] = SAYS.find(([, it]) => it.test(text))!;
  return { shape, value: pattern.exec(text)![1] };
};
const MINUTE = 60_000;

describe('what can name one thing', () => {
  it('has digits, and is no number as such', () => {
    for (const text of ['OR7C41E9', 'ord-10422x7', '6f9619ff-8b86-d011-b42d-00c04fc964ff', '100345'])
      expect(isReference(text)).toBe(true);
    for (const text of ['17', '4000', '12.75', 'tern-marram', 'two words 7', 'x1', '']) expect(isReference(text)).toBe(false);
  });
});

describe('keys', () => {
  it('are found without being told: sources that share their values are one, what joins most is first', () => {
    const search = new KeySearch();
    for (const { text, service, instance, attributes } of orderLines(3, 400, 120).lines) {
      const { shape, value } = readOf(text);
      if (isReference(value)) search.add(search.sourceOf({ shape, hole: 0 })!, value, service, shape);
      for (const [attribute, it] of Object.entries({ ...attributes, instance }))
        if (isReference(it)) search.add(search.sourceOf({ attribute })!, it, service, shape);
    }
    const [first, ...others] = search.found();
    expect(first).toMatchObject({ name: 'order.id' });
    expect(first.sources.map(nameOf).sort()).toEqual(['basket.0', 'coins.0', 'jammed.0', 'order.id', 'packed.0', 'sent.0']);
    expect(first.services).toBeGreaterThan(2.5);
    expect(others).toEqual([]);
  });
});

it('lines and values beyond what can be held are counted as left out', () => {
  const groups = new Groups({ groups: 2, lines: 3 });
  for (const [key, step] of [
    ['a', 'one'],
    ['b', 'one'],
    ['c', 'one'],
    ['a', 'two'],
    ['b', 'two'],
  ])
    groups.add(key, step, 1);
  expect([groups.keys, groups.size, groups.leftOut]).toEqual([['a', 'b'], 3, 2]);
});

describe('threads over the usual steps', () => {
  const told = (seed: number) => {
    const log = orderLines(seed, 600, 180);
    const groups = new Groups({ groups: 10_000, lines: 100_000 });
    const services = new Map<string, string>();
    for (const { text, service, at } of log.lines) {
      const { shape, value } = readOf(text);
      services.set(shape, service);
      if (shape !== 'idle') groups.add(value, shape, at);
    }
    const threads = groups.threads();
    const steps = usualSteps(threads, (step) => services.get(groups.steps[step])!);
    return { log, groups, threads, steps, names: steps.map(({ step }) => groups.steps[step]) };
  };

  it('are those that most go through, in their order, each timed from what it follows', () => {
    const { steps, names } = told(5);
    expect(names).toEqual(['basket', 'coins', 'packed', 'sent']);
    expect(steps.map(({ after }) => after)).toEqual([-1, 0, 1, 2]);
    expect(steps[3].usual!.median).toBeGreaterThan(2_000);
    expect(steps[3].usual!.median).toBeLessThan(5_000);
  });

  it.each([5, 6, 7, 8])('stand out when a step is late or never comes, and no others do (seed %i)', (seed) => {
    const { log, threads, steps, names } = told(seed);
    const stitched = stitch(threads, steps, threads, 280 * MINUTE);
    const sent = names.indexOf('sent');
    const having = (how: string) =>
      stitched.filter(({ deviations }) => deviations.some((it) => it.how === how && it.at === sent)).map(({ key }) => key);
    expect(new Set(having('late'))).toEqual(log.late);
    // Few enough are missing for the step to be expected still.
    expect(new Set(having('never'))).toEqual(steps[sent].share >= 0.97 ? log.never : new Set());
    const off = stitched.filter(({ deviations }) => deviations.length > 0).map(({ key }) => key);
    expect(off.length).toBeLessThanOrEqual(1.02 * (log.late.size + log.never.size) + 2);
  });

  it('are not missing what there was no time for yet', () => {
    const { threads, steps } = told(9);
    const reference = threads;
    const [whole] = threads.filter((it) => it.steps.length === 4);
    const young = { ...whole, steps: whole.steps.slice(0, 3), times: whole.times.slice(0, 3) };
    const at = (endMs: number) => stitch([young], steps, reference, endMs)[0].deviations;
    expect(at(young.times[2] + 1_000)).toEqual([]);
  });

  it('are repeated and out of order when they are', () => {
    const { threads, steps, groups } = told(10);
    const whole = threads.find((it) => it.steps.length === 4)!;
    const name = (step: string) => groups.steps.indexOf(step);
    const twice = { ...whole, steps: [...whole.steps, name('sent')], times: [...whole.times, whole.times[3] + 5] };
    const early = { ...whole, steps: [whole.steps[1], whole.steps[0], whole.steps[2], whole.steps[3]] };
    const found = stitch([twice, early], steps, threads, 280 * MINUTE);
    expect(found[0].deviations).toEqual([{ how: 'twice', at: 3 }]);
    expect(found[1].deviations.map(({ how }) => how)).toEqual(['order']);
  });
});

describe('what chosen groups have in common', () => {
  it('is what the others have not; what all have is not said', () => {
    const log = orderLines(5, 600, 180);
    const facts = new Map<string, Map<string, Fact>>();
    for (const { text, instance, attributes } of log.lines) {
      const { shape, value } = readOf(text);
      if (shape === 'idle') continue;
      const own = facts.get(value) ?? new Map<string, Fact>();
      facts.set(value, own);
      own.set(shape, { kind: 'shape', name: '', value: shape });
      own.set(instance, { kind: 'attribute', name: 'instance', value: instance });
      own.set(`${attributes.colour}`, { kind: 'attribute', name: 'colour', value: `${attributes.colour}` });
    }
    const common = new CommonFacts(log.late.size, facts.size - log.late.size);
    for (const [key, own] of facts) common.add(own.values(), log.late.has(key));
    const found = common.found();
    expect(found[0]).toMatchObject({ kind: 'shape', value: 'jammed', chosen: log.late.size });
    expect(found.map(({ value }) => value)).toEqual(['jammed', 'packer-2']);
  });
});
