import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key, type WebDriver, type WebElement } from 'selenium-webdriver';
import { Driver, Options, ServiceBuilder } from 'selenium-webdriver/chrome.js';
import type { CheckStep } from '../../src/formats/events/checkStep.ts';
import { type JourneyCheck, type JourneyStep, stepName } from './read.ts';
import type { CheckResult } from './result.ts';

/** Where browser and driver are. */
export interface BrowserPaths {
  readonly browser: string;
  readonly driver: string;
}

const LONGEST_ERROR = 500;
/** A picture is made smaller until it has at most so many characters. */
const MOST_PICTURE = 90_000;
const QUALITIES = [60, 35, 15, 5];

/** Goes through the steps of a check in a browser of its own, without a window, as a visitor without a past. */
export async function checkJourney(check: JourneyCheck, paths: BrowserPaths): Promise<CheckResult> {
  const profile = mkdtempSync(join(tmpdir(), 'dusk-check-'));
  let driver: WebDriver | undefined;
  const steps: CheckStep[] = [];
  let [error, picture] = ['', ''];
  let began = performance.now();
  try {
    driver = await openBrowser(profile, paths);
    // The start of the browser is nobody's waiting.
    began = performance.now();
    const deadline = began + check.within;
    await driver.manage().setTimeouts({ pageLoad: check.within, script: check.within });
    for (const step of check.steps) {
      const from = performance.now();
      try {
        await take(driver, step, deadline);
        steps.push({ name: stepName(step), ms: performance.now() - from, ok: true, error: '' });
      } catch (thrown) {
        error = (thrown as Error).message.split('\n')[0].slice(0, LONGEST_ERROR);
        steps.push({ name: stepName(step), ms: performance.now() - from, ok: false, error });
        picture = await pictureOf(driver);
        break;
      }
    }
  } catch (thrown) {
    error = `the browser did not start: ${(thrown as Error).message.split('\n')[0]}`.slice(0, LONGEST_ERROR);
  } finally {
    await driver?.quit().catch(() => undefined);
    rmSync(profile, { recursive: true, force: true });
  }
  const opened = check.steps.find((it) => 'open' in it);
  return {
    ok: error === '',
    durationMs: performance.now() - began,
    error,
    steps,
    picture,
    page: opened && 'open' in opened ? new URL(opened.open).pathname : '',
    traceId: '',
  };
}

/** A browser is up in a few seconds; one that is not by then will not be. */
const START_MS = 25_000;
const MOST_STARTS = 3;

/** Starts a browser, and another in the place of one that does not come up. @throws Error when none does */
async function openBrowser(profile: string, paths: BrowserPaths): Promise<WebDriver> {
  for (let attempt = 1; ; attempt++) {
    const service = new ServiceBuilder(paths.driver).build();
    const driver = Driver.createSession(optionsOf(join(profile, String(attempt)), paths), service);
    let late: NodeJS.Timeout | undefined;
    try {
      const inTime = new Promise<never>((_, reject) => {
        late = setTimeout(() => reject(new Error(`it was not up within ${START_MS / 1000} s`)), START_MS);
      });
      await Promise.race([driver.getSession(), inTime]);
      return driver;
    } catch (error) {
      await service.kill().catch(() => undefined);
      if (attempt === MOST_STARTS) throw error;
    } finally {
      clearTimeout(late);
    }
  }
}

function optionsOf(profile: string, paths: BrowserPaths): Options {
  const options = new Options();
  options.setChromeBinaryPath(paths.browser);
  options.addArguments(
    '--headless=new',
    '--no-sandbox',
    '--disable-gpu',
    '--disable-dev-shm-usage',
    '--no-first-run',
    '--disable-background-networking',
    '--window-size=1280,800',
    `--user-data-dir=${profile}`,
  );
  return options;
}

async function take(driver: WebDriver, step: JourneyStep, deadline: number): Promise<void> {
  const left = () => Math.max(1, deadline - performance.now());
  if ('open' in step) return driver.get(step.open);
  if ('wait' in step) return driver.sleep(Math.min(step.wait, left()));
  if ('press' in step) return (await found(driver, step.press, PRESSED, left())).click();
  if ('type' in step) {
    const field = await found(driver, step.into, TYPED, left());
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), step.type);
    return;
  }
  if ('choose' in step) {
    const list = await found(driver, step.from, CHOSEN, left());
    const option = await list.findElement(By.xpath(`.//option[normalize-space(.)=${quoted(step.choose)}]`)).catch(() => {
      throw new Error(`“${step.choose}” is not to be chosen from “${step.from}”`);
    });
    return option.click();
  }
  const isSeen = 'see' in step;
  const text = isSeen ? step.see : step['do not see'];
  await driver
    .wait(async () => (await bodyText(driver)).includes(text) === isSeen, left())
    .catch(() => {
      throw new Error(isSeen ? `“${text}” did not appear in time` : `“${text}” did not go in time`);
    });
}

const PRESSED =
  '//button | //a | //summary | //label | //*[@role="button" or @role="link" or @role="tab" or @role="menuitem"] | //input[@type="submit" or @type="button" or @type="checkbox" or @type="radio"]';
const TYPED = '//input | //textarea | //*[@contenteditable]';
const CHOSEN = '//select';

/** An element by what a visitor reads on it: its text, label, name or placeholder; or by a selector after `css:`. Waits until it is there. */
async function found(driver: WebDriver, name: string, among: string, withinMs: number): Promise<WebElement> {
  const look = async () => {
    const all = name.startsWith('css:') ? await driver.findElements(By.css(name.slice(4))) : await named(driver, name, among);
    for (const it of all) if (await it.isDisplayed().catch(() => false)) return it;
    return false as const;
  };
  const element = await driver.wait(look, withinMs).catch(() => undefined);
  if (!element) throw new Error(`“${name}” was not found in time`);
  return element as WebElement;
}

async function named(driver: WebDriver, name: string, among: string): Promise<WebElement[]> {
  const text = quoted(name);
  const parts = among.split(' | ');
  const by = (test: string) => parts.map((it) => `${it}[${test}]`).join(' | ');
  const own = `text()[normalize-space(.)=${text}]`;
  // A label around a list has the list's own texts in it too.
  const exact = `normalize-space(.)=${text} or @aria-label=${text} or @placeholder=${text} or @name=${text} or @value=${text} or @title=${text} or @id=//label[${own}]/@for or ancestor::label[${own}]`;
  const whole = await driver.findElements(By.xpath(by(exact)));
  return whole.length > 0
    ? whole
    : driver.findElements(By.xpath(by(`contains(normalize-space(.), ${text}) or contains(@aria-label, ${text})`)));
}

/** A text as XPath 1.0 writes it, which has no escapes. */
function quoted(text: string): string {
  if (!text.includes('"')) return `"${text}"`;
  return `concat(${text
    .split('"')
    .map((part) => `"${part}"`)
    .join(`, '"', `)})`;
}

async function bodyText(driver: WebDriver): Promise<string> {
  return driver.executeScript<string>('return document.body ? document.body.innerText : ""').catch(() => '');
}

/** What the browser shows, as a JPEG in base64; empty when it shows nothing any more, or nothing that is small enough. */
async function pictureOf(driver: WebDriver): Promise<string> {
  for (const quality of QUALITIES) {
    const answer = await (driver as Driver)
      .sendAndGetDevToolsCommand('Page.captureScreenshot', { format: 'jpeg', quality })
      .catch(() => undefined);
    const { data = '' } = (answer ?? {}) as { data?: string };
    if (data.length <= MOST_PICTURE) return data;
  }
  return '';
}
