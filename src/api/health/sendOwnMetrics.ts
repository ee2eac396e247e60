import packageJson from '../../../package.json' with { type: 'json' };
import { encodeMetricsProtobuf } from '../../formats/otlp/record/encodeMetrics.ts';
import { PATHS } from '../../formats/otlp/wire/send.ts';
import { OwnPoints } from '../../formats/ownPoints.ts';
import { OWN_RESOURCE, ownToken } from '../../server/selfTrace.ts';
import { ownMetrics } from './metrics.ts';

const EVERY_MS = 30_000;
let isBegun = false;

/** Sends what the application says of itself to its own door as well, every half minute, where it records itself. Once, however often it is asked for. */
export function sendOwnMetrics(): void {
  const url = process.env.DUSK_SELF_URL;
  if (isBegun || !url) return;
  isBegun = true;
  const now = () => BigInt(Date.now()) * 1_000_000n;
  const points = new OwnPoints({ resource: OWN_RESOURCE, scope: { name: 'dusk-lantern', version: packageJson.version } }, now());
  const send = () =>
    fetch(url + PATHS.metrics, {
      method: 'POST',
      headers: { 'content-type': 'application/x-protobuf', ...ownToken() },
      body: encodeMetricsProtobuf(points.take(ownMetrics(), now())) as BodyInit,
      signal: AbortSignal.timeout(EVERY_MS),
    })
      .then((answer) => answer.body?.cancel())
      // What could not be sent is told the next time, but for what it counted: it is no reason to stop.
      .catch(() => {});
  void send();
  setInterval(() => void send(), EVERY_MS).unref();
}
