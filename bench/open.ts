import { By, until } from 'selenium-webdriver';
import { build, isBuilt } from '../src/server/build.ts';
import { openBrowser } from '../tests/support/browser.ts';
import { install } from '../tests/support/installation.ts';
import { sendSpans } from '../tests/support/sending.ts';
import { largeTrace } from './largeTraces.ts';
import { medianOf, report } from './measure.ts';

const SIZES = [20_000, 100_000];

/** From asking for a trace's page to its rows being there, in Chromium, against a trace of 20 spans in the same run. */
export async function benchOpen(): Promise<void> {
  if (!isBuilt()) build();
  const dusk = await install();
  const browser = await openBrowser();
  try {
    const idOf = (count: number) => count.toString(16).padStart(32, '0');
    const open = async (count: number) => {
      await browser.driver.get(`${dusk.url}/traces/${idOf(count)}`);
      await browser.driver.wait(until.elementLocated(By.css('[role=treegrid] [role=row]')), 60_000);
    };
    for (const count of [20, ...SIZES]) {
      const spans = largeTrace('tree', count).map((span) => ({ ...span, traceId: idOf(count) as typeof span.traceId }));
      for (let from = 0; from < count; from += 5000) await sendSpans(dusk.url, spans.slice(from, from + 5000));
      await open(count);
    }
    const reference = await medianOf(7, () => open(20));
    for (const count of SIZES)
      report(`${count.toLocaleString('en')} spans, opened`, await medianOf(7, () => open(count)), 'opening 20 spans', reference);
  } finally {
    await browser.close();
    await dusk.stop();
  }
}
