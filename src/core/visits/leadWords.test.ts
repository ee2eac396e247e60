import { describe, expect, it } from 'vitest';
import { faultLead, slowLead } from './leadWords.ts';

const NONE = { network: 0, server: 0, download: 0, third: 0, browser: 0 };
const load = (p75: number, phases: Partial<typeof NONE>, party = '') => ({
  ready: { p75, loads: 500 },
  band: {
    readyMs: Object.values(phases).reduce((sum, it) => sum + it, 0),
    phases: { ...NONE, ...phases },
    party,
    script: '',
    partyMs: phases.third ?? 0,
  },
});

describe('why pages are late, as a hypothesis', () => {
  it.each([
    [
      'a third party',
      load(6_690, { third: 6_250, browser: 440 }, 'beacon-tags.example'),
      load(490, { third: 1, browser: 489 }),
      'Pages of quayside-web wait 6.25 s more for a script of beacon-tags.example: a load of 6.69 s, 490 ms before',
    ],
    [
      'the server',
      load(3_000, { server: 2_500, browser: 500 }),
      load(1_000, { server: 500, browser: 500 }),
      'Pages of quayside-web wait 2.00 s more on the server: a load of 3.00 s, 1.00 s before',
    ],
    ['nothing, where they are not late', load(500, { server: 500 }), load(490, { server: 490 }), ''],
  ])('%s', (_, lit, before, words) => {
    expect(slowLead('quayside-web', { lit, before })).toBe(words);
  });
});

describe('what goes wrong, as a hypothesis', () => {
  const fault = {
    kind: 'crash',
    name: 'IndexOutOfBounds: row 0 of 0',
    times: 293,
    before: 0,
    visits: 290,
    versions: [['6.2', 293]] as const,
    devices: [['Fennel 7', 293]] as const,
  };
  const visits = { lit: 3_000, before: 2_500 };

  it('names what all of it has in common', () => {
    expect(faultLead('deck-app', [fault], visits)).toBe(
      'deck-app: crash “IndexOutOfBounds: row 0 of 0”, 293 × in 290 visits, never before, only version 6.2, only device Fennel 7',
    );
    const some = {
      ...fault,
      versions: [
        ['6.2', 280],
        ['', 13],
      ] as const,
      devices: [
        ['', 200],
        ['Fennel 7', 93],
      ] as const,
    };
    expect(faultLead('deck-app', [some], visits)).toBe(
      'deck-app: crash “IndexOutOfBounds: row 0 of 0”, 293 × in 290 visits, never before, only version 6.2',
    );
    const mixed = {
      ...fault,
      before: 4,
      devices: [
        ['Fennel 7', 200],
        ['Teal', 93],
      ] as const,
    };
    expect(faultLead('deck-app', [mixed], visits)).toBe(
      'deck-app: crash “IndexOutOfBounds: row 0 of 0”, 293 × in 290 visits, 4 × before, only version 6.2',
    );
  });

  it('passes over what is as usual', () => {
    const usual = { ...fault, name: 'left alone', times: 300, visits: 300, before: 250 };
    expect(faultLead('deck-app', [usual, fault], visits)).toContain('row 0 of 0');
    expect(faultLead('deck-app', [usual], visits)).toBe('');
    expect(faultLead('deck-app', [{ ...fault, times: 2, visits: 2 }], visits)).toBe('');
    expect(faultLead('deck-app', [], visits)).toBe('');
  });
});
