import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { WebDriver } from 'selenium-webdriver';

const SOURCE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

interface Violation {
  readonly id: string;
  readonly impact: string;
  readonly nodes: readonly { readonly target: readonly string[]; readonly failureSummary: string }[];
}

/** What axe finds on the page that is serious or critical, in words. */
export async function seriousFaults(driver: WebDriver): Promise<string[]> {
  await driver.executeScript(SOURCE);
  const violations = await driver.executeAsyncScript<Violation[]>(
    'const done = arguments[arguments.length - 1]; axe.run(document).then((result) => done(result.violations));',
  );
  return violations
    .filter(({ impact }) => impact === 'serious' || impact === 'critical')
    .flatMap(({ id, nodes }) => nodes.map((node) => `${id}: ${node.target.join(' ')}: ${node.failureSummary}`));
}
