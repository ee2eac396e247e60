import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { type Browser, openBrowser } from '../support/browser.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { makeSpans } from '../support/made/traceMaker.ts';
import { getJson, sendSpans } from '../support/sending.ts';

/*
 * A page of another site, in the browser of someone who uses this application: it can neither read, nor change, nor exhaust.
 */

let dusk: Installation;
let browser: Browser;
let foreign: Server;
let page: string;
beforeAll(async () => {
  dusk = await install();
  browser = await openBrowser();
  foreign = createServer((_, response) => {
    response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' });
    response.end('<!doctype html><title>elsewhere</title><h1>A page of another site</h1>');
  });
  await new Promise<void>((resolve) => foreign.listen(0, '127.0.0.1', resolve));
  // Another site: the name of the host differs from that of the application.
  page = `http://localhost:${(foreign.address() as AddressInfo).port}/`;
  await sendSpans(dusk.url, makeSpans({ id: 0, from: 0, to: 5 }));
});
afterAll(async () => {
  await browser?.close();
  foreign?.close();
  await dusk?.stop();
});

/** Runs a function in the foreign page, with the application's address. @returns what it resolves to */
async function inForeignPage<T>(script: string): Promise<T> {
  await browser.visit(page);
  return browser.driver.executeAsyncScript<T>(
    `const [url, done] = arguments; (async () => { ${script} })().then(done, (e) => done(String(e)))`,
    dusk.url,
  );
}

it('cannot read', async () => {
  const read = await inForeignPage<string>("const answer = await fetch(url + '/api/health'); return await answer.text();");
  expect(read).toContain('TypeError');
  const blind = await inForeignPage<string>(
    "const answer = await fetch(url + '/api/health', { mode: 'no-cors' }); return answer.type + ' ' + (await answer.text());",
  );
  expect(blind).toBe('opaque ');
  const framed = await inForeignPage<string>(
    "const frame = document.createElement('iframe'); frame.src = url + '/now'; document.body.append(frame); await new Promise((loaded) => { frame.onload = loaded; }); try { return String(frame.contentWindow.document.body.innerText); } catch (error) { return error.name; }",
  );
  expect(framed).toBe('SecurityError');
});

it('cannot change', async () => {
  const before = await getJson(dusk.url, '/api/intake/masking');
  const spans = (await getJson(dusk.url, '/api/health')).spans;
  const tried = await inForeignPage<string[]>(`
    const body = JSON.stringify({ rules: [] });
    const tries = [
      fetch(url + '/api/intake/masking', { method: 'PUT', headers: { 'content-type': 'application/json' }, body }),
      fetch(url + '/api/intake/masking', { method: 'POST', mode: 'no-cors', headers: { 'content-type': 'text/plain' }, body }),
      fetch(url + '/v1/traces', { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{"resourceSpans":[]}' }),
      fetch(url + '/v1/traces', { method: 'POST', mode: 'no-cors', body: '{"resourceSpans":[]}' }),
    ];
    return (await Promise.allSettled(tries)).map(({ status, value }) => status === 'fulfilled' ? value.type : status);`);
  expect(tried).toEqual(['rejected', 'opaque', 'rejected', 'opaque']);
  expect(await getJson(dusk.url, '/api/intake/masking')).toEqual(before);
  expect((await getJson(dusk.url, '/api/health')).spans).toBe(spans);
});

it('cannot exhaust: what it embeds is turned away before any work', async () => {
  const loaded = await inForeignPage<number>(`
    const wide = '/api/now/cost?from=2026-01-01T00:00:00Z&to=2026-12-31T00:00:00Z&key=x&at=';
    const outcomes = await Promise.all(Array.from({ length: 200 }, (_, at) => new Promise((tell) => {
      const image = new Image();
      image.onload = () => tell(1);
      image.onerror = () => tell(0);
      image.src = url + wide + at;
    })));
    return outcomes.reduce((sum, it) => sum + it, 0);`);
  expect(loaded).toBe(0);
  const { analysisWaiting } = await getJson(dusk.url, '/api/health/ready');
  expect(analysisWaiting).toBe(0);
});

it('can be the one that a link leads from', async () => {
  await browser.visit(page);
  await browser.driver.executeScript(
    "const link = document.createElement('a'); link.href = arguments[0]; link.textContent = 'look'; document.body.append(link); link.click();",
    `${dusk.url}/traces`,
  );
  await until(
    () => browser.driver.getTitle(),
    (title) => title.includes('Dusk Lantern'),
  );
});
