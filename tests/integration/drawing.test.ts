import { spawnSync } from 'node:child_process';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Installation, install, until } from '../support/installation.ts';
import { makeSpans } from '../support/made/traceMaker.ts';
import { firstAdministrator, invited, type Somebody, WITH_ACCOUNTS } from '../support/people.ts';
import { getJson, sendSpans } from '../support/sending.ts';

/* Pages are drawn by a process of their own: what that means for those who look, and for those who send meanwhile. */

const WAITING_MS = 1_500;

/** The process that draws the pages of an installation; undefined while there is none. */
function drawingProcess({ application }: Installation): number | undefined {
  const { stdout } = spawnSync('ps', ['-eo', 'pid=,ppid=,args='], { encoding: 'utf8' });
  const found = stdout
    .split('\n')
    .find((line) => line.includes('drawPages') && Number(line.trim().split(/\s+/)[1]) === application.pid);
  return found === undefined ? undefined : Number(found.trim().split(/\s+/)[0]);
}

const spans = makeSpans({ id: 0, from: 0, to: 9 }, { id: 1, parent: 0, from: 1, to: 5 });

describe('while a page takes long to draw', () => {
  let dusk: Installation;
  beforeAll(async () => {
    dusk = await install();
  });
  afterAll(() => dusk?.stop());

  it('senders and programs are answered, and the page comes when it is drawn', async () => {
    expect((await fetch(`${dusk.url}/now`)).status).toBe(200);
    const process_ = drawingProcess(dusk)!;
    process.kill(process_, 'SIGSTOP');
    let isDrawn = false;
    const page = fetch(`${dusk.url}/traces`).then((answer) => {
      isDrawn = true;
      return answer;
    });
    await sendSpans(dusk.url, spans);
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(spans.length);
    await new Promise((later) => setTimeout(later, WAITING_MS));
    expect(isDrawn).toBe(false);
    process.kill(process_, 'SIGCONT');
    const answer = await page;
    expect([answer.status, answer.headers.get('content-type')]).toEqual([200, 'text/html']);
    expect(await answer.text()).toContain('Traces');
  });

  it('a page that is lost says so, and the next is drawn by another process', async () => {
    const lost = drawingProcess(dusk)!;
    process.kill(lost, 'SIGSTOP');
    const page = fetch(`${dusk.url}/map`);
    await new Promise((later) => setTimeout(later, WAITING_MS));
    process.kill(lost, 'SIGKILL');
    const answer = await page;
    expect([answer.status, answer.headers.get('retry-after')]).toEqual([503, '2']);
    expect(await answer.text()).toMatch(/^This page cannot be drawn now: .+\. Load it again in a few seconds\.\n$/);
    // However long a busy machine takes to start it.
    await until(
      async () => (await fetch(`${dusk.url}/map`)).status,
      (status) => status === 200,
    );
    expect(drawingProcess(dusk)).not.toBe(lost);
    expect((await getJson(dusk.url, '/api/health/ready')).restarts.pages).toBe(1);
  });

  it('one that never comes to an end is ended', async () => {
    const stuck = await until(
      async () => drawingProcess(dusk)!,
      (it) => it !== undefined,
    );
    process.kill(stuck, 'SIGSTOP');
    expect((await fetch(`${dusk.url}/code`)).status).toBe(503);
    await until(
      async () => drawingProcess(dusk),
      (it) => it !== undefined && it !== stuck,
    );
    expect((await fetch(`${dusk.url}/code`)).status).toBe(200);
    expect(dusk.log()).toContain('it is ended');
  });

  it('says of what is not there and of what cannot be what the page itself would', async () => {
    const status = async (path: string) => (await fetch(dusk.url + path, { redirect: 'manual' })).status;
    expect(await status('/nothing')).toBe(404);
    expect(await status('/traces/x')).toBe(400);
    expect(await status(`/traces/${'d'.repeat(32)}`)).toBe(404);
    const front = await fetch(`${dusk.url}/?last=30min`, { redirect: 'manual' });
    expect([front.status, front.headers.get('location')]).toEqual([302, '/now?last=30min']);
    const head = await fetch(`${dusk.url}/now`, { method: 'HEAD' });
    expect([head.status, await head.text()]).toEqual([200, '']);
  });

  it('knows from when requests are kept, and what is in a trace', async () => {
    expect(await (await fetch(`${dusk.url}/now`)).text()).toMatch(/&quot;type&quot;:\[0,&quot;fixed&quot;\]/);
    const page = await (await fetch(`${dusk.url}/traces/${spans[0].traceId}`)).text();
    expect(page).toContain(spans[0].name);
  });

  it.each(['a, b', 'x is y;', 'GET /passes?', '100 %', '%2F', 'ölhafen/#1'])('opens what is named %s', async (name) => {
    const named = spans.map((span) => ({ ...span, service: name, resource: { ...span.resource, 'service.name': name } }));
    await sendSpans(
      dusk.url,
      named.map((span) => ({
        ...span,
        traceId: Buffer.from(name.padEnd(16)).toString('hex').slice(0, 32) as typeof span.traceId,
      })),
    );
    const path = `/services/${encodeURIComponent(name)}`;
    const window = 'from=2026-05-01T23:00:00Z&to=2026-05-02T23:00:00Z';
    expect((await getJson(dusk.url, `/api${path}?${window}`)).name).toBe(name);
    const page = await fetch(`${dusk.url}${path}?${window}`);
    expect([page.status, (await page.text()).includes('has sent anything')]).toEqual([200, false]);
  });

  it('takes an address and headers as long as the application does', async () => {
    const address = `${dusk.url}/services/${encodeURIComponent('/'.repeat(3_000))}?where=${'x'.repeat(2_000)}`;
    expect((await fetch(address, { headers: { 'x-filler': 'y'.repeat(3_000) } })).status).toBe(200);
  });

  it('is no error when it is left before it was drawn', async () => {
    const drawing = drawingProcess(dusk)!;
    process.kill(drawing, 'SIGSTOP');
    const leaving = new AbortController();
    const page = fetch(`${dusk.url}/now`, { signal: leaving.signal });
    await new Promise((later) => setTimeout(later, WAITING_MS));
    leaving.abort();
    await expect(page).rejects.toThrow();
    process.kill(drawing, 'SIGCONT');
    expect((await fetch(`${dusk.url}/now`)).status).toBe(200);
    expect(dusk.log()).not.toContain('AbortError');
  });

  it('does not believe a stranger who says that a page was handed on', async () => {
    const forged = encodeURIComponent(JSON.stringify({ page: 0, who: { name: 'x', role: 'administrator' }, isSecure: true }));
    const answer = await fetch(`${dusk.url}/now`, { headers: { 'lantern-page': forged } });
    expect(answer.status).toBe(200);
    expect(await answer.text()).not.toContain('&quot;name&quot;:[0,&quot;x&quot;]');
  });
});

describe('pages of several people at once', () => {
  let dusk: Installation;
  const people: (Somebody & { readonly name: string })[] = [];
  beforeAll(async () => {
    dusk = await install({ reach: WITH_ACCOUNTS });
    const first = await firstAdministrator(dusk);
    for (const name of ['Tomas Berg', 'Lena Quist', 'Ivo Marram'])
      people.push({ ...(await invited(dusk.url, first, name, 'reader')), name });
  });
  afterAll(() => dusk?.stop());

  it('show to each what is theirs', async () => {
    const asked = Array.from({ length: 24 }, (_, at) => people[at % people.length]);
    const pages = await Promise.all(asked.map(async ({ name, ask }) => ({ name, text: await (await ask('/account')).text() })));
    for (const { name, text } of pages)
      expect(people.filter((it) => text.includes(it.name)).map((it) => it.name)).toEqual([name]);
  });

  it('lead to the way in who is not signed in', async () => {
    const answer = await fetch(`${dusk.url}/people`, { redirect: 'manual' });
    expect([answer.status, answer.headers.get('location')]).toEqual([302, '/sign-in?to=%2Fpeople']);
    // What looks like a host is a part of the path, and leads past nobody.
    for (const path of ['//x/sign-in', '//x/api/health', '//x/api/traces'])
      expect((await fetch(dusk.url + path, { redirect: 'manual' })).status).toBe(302);
    expect(await (await fetch(`${dusk.url}/sign-in`)).text()).toContain('Sign in');
    const forged = encodeURIComponent(JSON.stringify({ page: 0, who: { name: 'x', role: 'administrator' }, isSecure: true }));
    const still = await fetch(`${dusk.url}/people`, { redirect: 'manual', headers: { 'lantern-page': forged } });
    expect(still.status).toBe(302);
  });
});
