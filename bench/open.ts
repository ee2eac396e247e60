import { By, until } from 'selenium-webdriver';
import { build, isBuilt } from '../src/server/build.ts';
import { openBrowser } from '../tests/support/browser.ts';
import { install } from '../tests/support/installation.ts';
import { sendSpans } from '../tests/support/sending.ts';
import { largeTrace } from './largeTraces.ts';
import { framesOf } from './support/frames.ts';
import { medianOf, report } from './support/measure.ts';

const SIZES = [20_000, 100_000];

/**
 * From asking for a trace's page to its rows being there, in Chromium, against a trace of 20 spans in the same run; then scrolling through the
 * largest and zooming into it.
 */
export async function benchOpen(): Promise<void> {
  if (!isBuilt()) await build();
  const dusk = await install({ onDisk: true });
  const browser = await openBrowser();
  try {
    const idOf = (count: number) => count.toString(16).padStart(32, '0');
    const open = async (count: number) => {
      await browser.driver.get(`${dusk.url}/traces/${idOf(count)}`);
      await browser.driver.wait(until.elementLocated(By.css('[role=treegrid] [role=row]')), 60_000);
    };
    const first = new Map<number, number>();
    for (const count of [20, ...SIZES]) {
      const spans = largeTrace('tree', count).map((span) => ({ ...span, traceId: idOf(count) as typeof span.traceId }));
      for (let from = 0; from < count; from += 5000) await sendSpans(dusk.url, spans.slice(from, from + 5000));
      const began = performance.now();
      await open(count);
      first.set(count, performance.now() - began);
    }
    const reference = await medianOf(7, () => open(20));
    for (const count of SIZES) {
      const spans = `${count.toLocaleString('en')} spans`;
      report(`${spans}, opened for the first time`, first.get(count)!, 'opening 20 spans', reference);
      report(`${spans}, opened again`, await medianOf(7, () => open(count)), 'opening 20 spans', reference);
    }
    await browser.driver.get('about:blank');
    const still = await framesOf(browser.driver, '() => {}');
    await open(100_000);
    await browser.driver.sleep(1000);
    const grid = "document.querySelector('[role=treegrid]')";
    const scroll = await framesOf(
      browser.driver,
      `(frame) => { let at = ${grid}; while (at.scrollHeight <= at.clientHeight) at = at.parentElement; at.scrollTop += frame % 120 < 80 ? 400 : -700; }`,
    );
    const zoom = await framesOf(
      browser.driver,
      `(frame) => ${grid}.dispatchEvent(new WheelEvent('wheel',
        { bubbles: true, cancelable: true, shiftKey: true, clientX: 800, clientY: 500, deltaY: frame % 80 < 40 ? -60 : 60, view: window }))`,
    );
    console.log(`frames a second of 100,000 spans: scrolling ${scroll}, zooming ${zoom}; an empty page in the same run ${still}`);
  } finally {
    await browser.close();
    await dusk.stop();
  }
}
