import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { checkAddress } from './address.ts';
import { checkJourney } from './journey.ts';
import { type AddressCheck, type JourneyCheck, readChecks, stepName } from './read.ts';

const PATHS = { browser: '/usr/bin/chromium', driver: '/usr/bin/chromedriver' };

describe('a file of checks', () => {
  it('holds a check a document, with times in words', () => {
    const checks = readChecks(
      `check: Book a crossing
every: 5m
within: 20s
steps:
  - open: https://www.osier-reach.example/sailings
  - type: Tern
    into: From
  - choose: Marram
    from: To
  - press: Search
  - see: 14:20
  - do not see: error
  - wait: 500ms
---
check: Timetable answers
address: https://www.osier-reach.example/sailings
expect: 200
`,
      'checks.yaml',
    );
    expect(checks).toMatchObject([
      { check: 'Book a crossing', every: 300_000, within: 20_000 },
      { check: 'Timetable answers', method: 'GET', every: 300_000 },
    ]);
    expect((checks[0] as JourneyCheck).steps.map(stepName)).toEqual([
      'open /sailings',
      'type into From',
      'choose Marram',
      'press Search',
      'see 14:20',
      'do not see error',
      'wait',
    ]);
  });

  it.each([
    ['check: x\nsteps:\n  - opn: https://a.example', 'a step is one of open, press'],
    ['check: x\nsteps:\n  - open: ftp://a.example', 'http:// or https://'],
    ['check: x\naddress: nowhere', 'http:// or https://'],
    ['check: x\naddress: https://a.example\nevery: 5 minutes', '500ms, 20s'],
    ['check: x\naddress: https://a.example\nevery: 1s', 'at least 10s'],
    ['check: [', 'checks.yaml'],
  ])('that is wrong is refused in words: %s', (text, words) => expect(() => readChecks(text, 'checks.yaml')).toThrow(words));
});

let server: Server;
let origin: string;
beforeAll(async () => {
  server = createServer((request, response) => {
    if (request.url === '/late') return;
    response.writeHead(request.url === '/gone' ? 404 : 200, { 'content-type': 'text/html; charset=utf-8' });
    response.end(`<!doctype html><title>Osier Reach</title><label for="from">From</label><input id="from" value="old">
      <label>To <select id="to"><option>Tern<option>Marram</select></label>
      <button onclick="setTimeout(() => out.textContent = by('from').value + ' to ' + by('to').value, 150)">Search "now"</button><p id="out"></p>
      <script>const by = (id) => document.getElementById(id); const out = by('out');</script>`);
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});

const one = (text: string) => readChecks(text.replaceAll('ORIGIN', origin), 'test')[0];

describe('a check of an address', () => {
  const run = (text: string) => checkAddress(one(`check: x\n${text}`) as AddressCheck);

  it('goes well when status and text are as expected', async () => {
    expect(await run('address: ORIGIN/\nsee: Search')).toMatchObject({
      ok: true,
      error: '',
      steps: [{ name: 'GET /', ok: true }],
    });
  });

  it.each([
    ['address: ORIGIN/gone', 'it answered 404, 200 is expected'],
    ['address: ORIGIN/\nsee: timetable', '“timetable” is not in the answer'],
    ['address: ORIGIN/late\nwithin: 300ms', 'no answer within 0.3 s'],
    ['address: http://127.0.0.1:9/', /refused|bad port|fetch failed/i],
  ])('says what is wrong: %s', async (text, words) => {
    const { ok, error } = await run(text);
    expect(ok).toBe(false);
    expect(error).toMatch(words);
  });
});

describe('a check of a journey', () => {
  it('goes through its steps as a visitor would, by what is to be read', async () => {
    const found = await checkJourney(
      one(`check: x
within: 15s
steps:
  - open: ORIGIN/
  - {type: Fennick, into: From}
  - {choose: Marram, from: To}
  - press: Search "now"
  - see: Fennick to Marram
  - do not see: old
`) as JourneyCheck,
      PATHS,
    );
    expect(found).toMatchObject({ ok: true, error: '', picture: '', page: '/' });
    expect(found.steps.length).toBe(6);
    expect(found.steps[4].ms).toBeGreaterThan(100);
  });

  it('stops at the step that fails, with what the browser showed', async () => {
    const found = await checkJourney(
      one('check: x\nwithin: 3s\nsteps:\n  - open: ORIGIN/\n  - press: Pay\n  - see: never\n') as JourneyCheck,
      PATHS,
    );
    expect(found).toMatchObject({ ok: false, error: '“Pay” was not found in time' });
    expect(found.steps.map(({ name, ok }) => [name, ok])).toEqual([
      ['open /', true],
      ['press Pay', false],
    ]);
    expect(Buffer.from(found.picture, 'base64').subarray(0, 2).toString('hex')).toBe('ffd8');
  });
});
