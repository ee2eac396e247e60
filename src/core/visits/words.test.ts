import { describe, expect, it } from 'vitest';
import { glanceOf, pagesSentence, partiesSentence, stepsSentence, versionsSentence, visitSentence } from './words.ts';

const NONE = { network: 0, server: 0, download: 0, third: 0, browser: 0 };
const load = (p75: number | null, loads = 500, phases: Partial<typeof NONE> = {}, partyMs = 0) => ({
  ready: { p75, loads },
  band: { readyMs: p75 ?? 0, phases: { ...NONE, ...phases }, party: 'tags.example', script: 'tag.js', partyMs },
});
const counts = (visits = 500, struggling = 0, crashed = 0) => ({ visits, struggling, crashed });
const pages = (lit: ReturnType<typeof load>, before: ReturnType<typeof load>, now = counts(), then = counts()) =>
  pagesSentence({ lit, before }, { lit: now, before: then }, 'Pages');

describe('what is said of pages', () => {
  it.each([
    [
      'a script that blocks',
      pages(load(5_980, 500, { third: 4_690 }, 4_690), load(1_240)),
      'Pages are ready in 5.98 s, not 1.24 s; one script is 4.69 s of it',
    ],
    [
      'a slow server',
      pages(load(3_000, 500, { server: 2_500 }), load(1_000, 500, { server: 500 })),
      'Pages are ready in 3.00 s, not 1.00 s; 2.00 s more on the server',
    ],
    ['nothing new', pages(load(482), load(481)), 'Pages are ready in 482 ms, as before'],
    ['a small change', pages(load(530), load(481)), 'Pages are ready in 530 ms, as before'],
    [
      'pages that are dead though they are quick',
      pages(load(482), load(481), counts(500, 200)),
      'Pages are ready in 482 ms, as before, but 200 of 500 visits struggle',
    ],
    [
      'crashes',
      pages(load(482), load(481), counts(500, 30, 30)),
      'Pages are ready in 482 ms, as before, but 30 of 500 visits crash',
    ],
    ['what got better', pages(load(400), load(900)), 'Pages are ready in 400 ms, faster than before: 900 ms'],
    ['too few before', pages(load(482), load(481, 19)), 'Pages are ready in 482 ms; before, too few were loaded to compare'],
    ['too few now', pages(load(482, 3), load(481)), 'Pages are ready in 482 ms, as before, of 3 loads only'],
    [
      'a part of a long window',
      pagesSentence(
        { lit: load(5_980, 500, { third: 4_690 }, 4_690), before: load(1_240) },
        { lit: counts(), before: counts() },
        'Pages',
        'in 19:32–21:42',
      ),
      'Pages are ready in 5.98 s in 19:32–21:42, not 1.24 s; one script is 4.69 s of it',
    ],
    [
      'one application of several',
      pagesSentence({ lit: load(482), before: load(481) }, { lit: counts(), before: counts() }, 'Screens', '', 'deck-app'),
      'Screens of deck-app are ready in 482 ms, as before',
    ],
    ['none', pages(load(null, 0), load(481)), 'No page was loaded in this window'],
  ])('%s', (_, said, words) => expect(said).toBe(words));
});

describe('what is said of steps', () => {
  const side = (reached: number, wentOn: number) => ({
    reached,
    wentOn,
    left: { crash: 0, error: 0, slow: 0, none: reached - wentOn },
  });
  const said = (
    lit: ReturnType<typeof side>,
    before: ReturnType<typeof side>,
    group: Parameters<typeof stepsSentence>[4] = null,
  ) => stepsSentence('a', 'b', lit, before, group);
  it.each([
    [
      'a group that crashes',
      said(side(500, 380), side(500, 450), { values: ['version 6.2', 'device Fennel 7'], reached: 95, left: 81, crashed: 80 }),
      '81 of 95 are thrown out at “a”: version 6.2, device Fennel 7',
    ],
    [
      'a group that leaves',
      said(side(500, 380), side(500, 450), { values: ['version 6.2'], reached: 95, left: 81, crashed: 2 }),
      '81 of 95 leave at “a”: version 6.2',
    ],
    [
      'a small group that crashes, while all together go on as before',
      said(side(324, 285), side(300, 279), { values: ['6.2', 'Fennel 7'], reached: 10, left: 8, crashed: 8 }),
      'About as many go on as before, but 8 of 10 are thrown out at “a”: 6.2, Fennel 7',
    ],
    ['no group', said(side(500, 380), side(500, 450)), '76 % go on from “a” to “b”, not 90 %'],
    [
      'a group by chance',
      said(side(700, 399), side(250, 170), { values: ['party size 1'], reached: 60, left: 33, crashed: 0 }),
      'About as many go on from step to step as before: 57 % from “a”',
    ],
    ['chance', said(side(100, 88), side(100, 90)), 'About as many go on from step to step as before: 88 % from “a”'],
    ['too few', said(side(12, 3), side(500, 450)), 'Only 12 visits reach “a”: too few to say how many go on'],
    ['too few before', said(side(500, 380), side(3, 3)), '76 % go on from “a” to “b”; before, too few to compare'],
    ['nobody', said(side(0, 0), side(500, 450)), 'No visit took the first of these steps in this window'],
  ])('%s', (_, words, expected) => expect(words).toBe(expected));
});

it('versions say which crashes, and that none does', () => {
  const version = (name: string, visits: number, crashed: number) => ({ version: name, lit: { visits, crashed }, before: null });
  expect(versionsSentence([version('6.2', 500, 60), version('6.1', 500, 0)])).toBe(
    '6.2: 60 of 500 visits crash; 94 % of all end without one',
  );
  expect(versionsSentence([version('6.2', 500, 0), version('6.1', 500, 0)])).toBe(
    'None of 1\u202f000 visits crashed, on 2 versions',
  );
  expect(versionsSentence([version('6.2', 500, 60), version('6.1', 500, 0)], 'deck-app')).toBe(
    'deck-app 6.2: 60 of 500 visits crash; 94 % of all end without one',
  );
  expect(versionsSentence([version('6.1', 500, 0)], 'quayside-web')).toBe(
    'None of 500 visits of quayside-web crashed, on 1 version',
  );
  expect(versionsSentence([])).toBe('No visit is known in this window');
});

it('third parties say which holds pages up', () => {
  const party = (held: number, then: number | null) => [
    { party: 'tags.example', lit: { heldMean: held, views: 9 }, before: { heldMean: then } },
  ];
  expect(partiesSentence(party(4_360, 4))).toBe('tags.example holds a load up by 4.36 s, not 4.00 ms');
  expect(partiesSentence(party(400, 390))).toBe('tags.example holds a load up by 400 ms, as before');
  expect(partiesSentence(party(4, 4))).toBe('No third party holds pages up: tags.example takes 4.00 ms of a load');
  expect(partiesSentence([])).toBe('No page asked a third party in this window');
});

it('a visit says how much of it was waiting, and how it ended', () => {
  const visit = { user: 'guest-2741', waitedMs: 28_300, from: 0, to: 52_400, crashed: false, gaveUpAt: '' };
  expect(visitSentence(visit)).toBe('guest-2741 waited 28.3 s of 52.4 s');
  expect(visitSentence({ ...visit, user: '', gaveUpAt: 'hold places' })).toBe(
    'A visitor waited 28.3 s of 52.4 s and left without “hold places”',
  );
});

it('a glance says what is worse, once', () => {
  const glance = (visits: number, struggling: number, crashed: number, p75: number) => ({
    visits,
    struggling,
    crashed,
    p75,
    loads: visits,
  });
  const before = glance(500, 0, 0, 480);
  expect(glanceOf(glance(500, 30, 30, 480), before)).toEqual({ words: '30 of 500 crash', state: 'failing' });
  expect(glanceOf(glance(500, 30, 30, 480), before, 'on Sun 29 Nov 03:00–06:00')).toEqual({
    words: '30 of 500 crash on Sun 29 Nov 03:00–06:00',
    state: 'failing',
  });
  expect(glanceOf(glance(500, 200, 0, 6_000), before)).toEqual({
    words: 'ready in 6.00 s, not 480 ms; 200 of 500 struggle',
    state: 'failing',
  });
  expect(glanceOf(glance(500, 0, 0, 490), before)).toEqual({ words: 'as before, ready in 490 ms', state: 'calm' });
  expect(glanceOf(glance(5, 0, 0, 490), before)).toEqual({ words: '5 visits, too few to compare', state: 'unknown' });
});
