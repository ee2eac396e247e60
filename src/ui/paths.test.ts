import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { condition } from '../core/scope/condition.ts';
import { parseCondition, splitConditions } from '../core/scope/conditionText.ts';
import { readScope, type Scope, writeScope } from '../core/scope/scope.ts';
import { findingPath, profilePath, runningPath } from './code/codePath.ts';
import { contrastPath } from './contrast/contrastPath.ts';
import { benchPath, databasePath, statementPath, trialPath } from './databases/databasePath.ts';
import { logsPath } from './logs/logsPath.ts';
import { hostPath, layersPath, objectPath, podPath } from './machines/machinePaths.ts';
import { nameOfNode, pagePath } from './topology/pagePath.ts';
import { visitorPath, visitorTabs, visitPath } from './visitors/visitorPaths.ts';

/* Addresses made of names that senders gave: whatever stands in a name, it arrives as it is, and nothing else with it. */

/** Names as somebody may send them; a browser cuts the dots off a path of dots alone, see `pathMarks.ts`. */
const names = fc
  .oneof(
    fc.constantFrom('a, b', 'x is y;', 'a/b', 'a?b=c&d', 'a#b', 'a%2Fb', '50 %', 'a+b', 'ä"<', "o'clock", 'quay-3', 'a\\b'),
    fc.string({ minLength: 1, maxLength: 20, unit: 'grapheme' }),
  )
  .filter((it) => !/^\.{1,2}$/.test(it) && it.isWellFormed());
const SCOPE: Scope = {
  lit: { type: 'fixed', from: Date.parse('2026-05-02T14:00Z'), to: Date.parse('2026-05-02T15:00Z') },
  before: { type: 'yesterday' },
  chips: [{ ...condition('service', 'is', 'a, b'), on: true }],
};
const href = (path: string) => `${path}?${writeScope(SCOPE)}`;
const opened = (path: string) => new URL(path, 'http://lantern.example');
/** Parts of the path, as a server reads them. */
const parts = (url: URL) => url.pathname.split('/').slice(1).map(decodeURIComponent);
const everyName = (check: (name: string, other: string) => void) => fc.assert(fc.property(names, names, check));

describe('an address in whose path a name stands', () => {
  it.each<[string, (name: string) => string, string[]]>([
    ['of a host', hostPath, ['machines', 'hosts']],
    ['of a database', databasePath, ['databases']],
    ['of a trial', trialPath, ['databases', 'bench']],
    ['of a visit', visitPath, ['visitors', 'visits']],
    ['of a service', (name) => pagePath({ id: name, kind: 'service', service: name })!, ['services']],
    ['of a peer', (name) => pagePath({ id: `database:${name}`, kind: 'database', service: null })!, ['peers']],
  ])('%s leads to that name alone', (what, pathOf, above) => {
    everyName((name) => {
      const url = opened(pathOf(name));
      expect([parts(url), url.search, url.hash]).toEqual([[...above, what === 'of a peer' ? `database:${name}` : name], '', '']);
    });
  });

  it('of a statement has both its names', () => {
    everyName((server, id) => {
      expect(parts(opened(statementPath(server, id)))).toEqual(['databases', server, 'statements', id]);
    });
  });

  it('of a group of services is none; the name of what is known by its id is that without its kind', () => {
    expect(pagePath({ id: 'team', kind: 'group', service: null })).toBeUndefined();
    everyName((name) => {
      for (const kind of ['database', 'cache', 'queue']) expect(nameOfNode(`${kind}:${name}`)).toBe(name);
    });
    expect(nameOfNode('met-relay.example')).toBe('met-relay.example');
  });
});

describe('an address in whose query a name stands', () => {
  const asked = (path: string) => Object.fromEntries(opened(path).searchParams);

  it('has it as it is', () => {
    everyName((name, other) => {
      expect(asked(layersPath(name))).toEqual({ layersOf: name });
      expect(asked(objectPath(name))).toEqual({ object: name });
      expect(asked(podPath(name))).toEqual({ object: `pod ${name}` });
      expect(asked(findingPath(name))).toEqual({ finding: name });
      expect(asked(profilePath(name, { version: other, function: undefined }))).toEqual({ service: name, version: other });
      expect(asked(runningPath('f'.repeat(32), name, other))).toEqual({ request: 'f'.repeat(32), of: name, instance: other });
      expect(asked(benchPath(name, { id: other }))).toEqual({ of: name, statement: other });
      expect(asked(benchPath(name, { text: other }))).toEqual({ of: name, sql: other });
    });
  });

  it('leaves out what is not known', () => {
    expect(asked(runningPath('0a'))).toEqual({ request: '0a' });
    expect(profilePath('berths')).toBe('/code/profile?service=berths');
    expect(visitorPath('/visitors', { app: '', who: '' })).toBe('/visitors');
  });

  it('of visitors keeps the application and which of them on every page', () => {
    everyName((app, who) => {
      const choice = { app, who };
      for (const [path, name] of visitorTabs(choice)) {
        expect(name).not.toBe('');
        expect(asked(path)).toEqual(choice);
      }
      expect(asked(visitorPath('/visitors/steps', choice, { page: who }))).toEqual({ ...choice, page: who });
      expect(parts(opened(visitPath(app, choice)))).toEqual(['visitors', 'visits', app]);
    });
  });
});

describe('an address that keeps the scope', () => {
  const kept = (path: string) => readScope(opened(path).searchParams, { type: 'last', ms: 60_000 });

  it('of lines has what is looked for beside it', () => {
    everyName((text) => {
      const path = logsPath(href, { text, severity: '17-24', as: 'lines' });
      expect(kept(path)).toEqual(SCOPE);
      const query = opened(path).searchParams;
      expect([query.get('text'), query.get('severity'), query.get('as')]).toEqual([text, '17-24', 'lines']);
    });
    expect(logsPath(href)).toBe(href('/logs'));
  });

  it('of a contrast has the conditions of both sides, which read as they were', () => {
    everyName((one, other) => {
      const a = [condition('service', 'is', one), condition('entry', 'is', one, other)];
      const b = [condition('user', 'is not', other)];
      const path = contrastPath(href, { how: 'sets', outcome: 'failures', a, b });
      expect(kept(path)).toEqual(SCOPE);
      const query = opened(path).searchParams;
      const read = (side: string) => splitConditions(query.get(side) ?? '').map(parseCondition);
      expect([query.get('how'), query.get('outcome'), read('a'), read('b')]).toEqual(['sets', 'failures', a, b]);
    });
    const alone = opened(contrastPath(href, { how: 'slow' })).searchParams;
    expect([alone.get('how'), alone.has('a'), alone.has('b'), alone.has('outcome')]).toEqual(['slow', false, false, false]);
  });
});
