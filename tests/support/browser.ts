import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Builder, By, type WebDriver } from 'selenium-webdriver';
import { type Driver as ChromiumDriver, Options, ServiceBuilder } from 'selenium-webdriver/chrome.js';

export interface Browser {
  readonly driver: WebDriver;
  /** Opens a page and waits until it is awake. */
  readonly visit: (url: string) => Promise<void>;
  /** Waits until the islands of the page answer to keys and clicks: before, what is pressed is lost. */
  readonly awake: () => Promise<void>;
  readonly close: () => Promise<void>;
}

/** A real Chromium without a window, 1280 by 800, with a profile of its own. */
export async function openBrowser(): Promise<Browser> {
  const profile = mkdtempSync(join(tmpdir(), 'dusk-browser-'));
  const options = new Options();
  options.setChromeBinaryPath('/usr/bin/chromium');
  options.addArguments(
    '--headless=new',
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--disable-dev-shm-usage',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--hide-scrollbars',
    '--force-device-scale-factor=1',
    `--user-data-dir=${profile}`,
  );
  const driver = await new Builder()
    .forBrowser('chrome')
    .setChromeOptions(options)
    .setChromeService(new ServiceBuilder('/usr/bin/chromedriver'))
    .build();
  // The size of a headless window counts its frame: what the page gets is set as such.
  await (driver as ChromiumDriver).sendDevToolsCommand('Emulation.setDeviceMetricsOverride', {
    width: 1280,
    height: 800,
    deviceScaleFactor: 1,
    mobile: false,
  });
  const awake = async () => {
    await driver.wait(async () => (await driver.findElements(By.css('astro-island[ssr]'))).length === 0, 30_000);
    // React takes over in idle slices after the island was started: an idle moment is the end of them.
    await driver.executeAsyncScript('requestIdleCallback(arguments[arguments.length - 1], { timeout: 10000 })');
  };
  return {
    driver,
    awake,
    visit: async (url) => {
      await driver.get(url);
      await awake();
    },
    close: async () => {
      await driver.quit();
      rmSync(profile, { recursive: true, force: true });
    },
  };
}
