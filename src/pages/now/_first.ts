import { ask } from '../../api/endpoint.ts';
import { around } from '../../api/now/around.ts';
import { now } from '../../api/now/now.ts';
import { series } from '../../api/requests/series.ts';
import { stored } from '../../api/requests/stored.ts';
import { comparisonQuery, windowQuery, windowToNow } from '../../core/scope/scope.ts';
import { type Asked, narrowingOf, startOf } from '../../ui/islands/startOf.ts';

/**
 * What the pages under Now begin with. What the server cannot get, the island asks for itself and says what is wrong; so it does with the
 * services of a narrowed scope, which take a while to count.
 */
export async function firstNow(asked: Asked, withServices = false) {
  const start = startOf(
    asked,
    await ask(stored, {}).then(
      ({ kept }) => kept,
      () => null,
    ),
  );
  const [requests, answer, about] = await Promise.all([
    ask(series, narrowingOf(asked.url)).catch(() => undefined),
    withServices && start.scope.chips.some(({ on }) => on)
      ? undefined
      : ask(now, comparisonQuery(start.scope, start.now)).catch(() => undefined),
    ask(around, windowQuery(windowToNow(start.scope.lit, start.now))).catch(() => undefined),
  ]);
  return { start, first: { now: answer, around: about, series: requests } };
}

/** What the pages begin with that ask for the rest themselves. */
export async function firstSeries(asked: Asked) {
  const requests = await ask(series, narrowingOf(asked.url)).catch(() => undefined);
  return { start: startOf(asked, requests?.kept), series: requests };
}
