import type { Browser } from '../../tests/support/browser.ts';

/** Frames that are drawn a second while something is done before each. @param act a function of the frame's number, as the browser reads it */
export async function framesOf(driver: Browser['driver'], act: string): Promise<number> {
  const seconds = 3;
  const frames: number = await driver.executeAsyncScript(`const done = arguments[0]; const act = ${act}; let frames = 0;
    const end = performance.now() + ${seconds * 1000};
    const next = () => { if (performance.now() >= end) return done(frames); act(frames++); requestAnimationFrame(next); };
    requestAnimationFrame(next);`);
  return Math.round(frames / seconds);
}
