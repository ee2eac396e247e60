import { randomBytes } from 'node:crypto';
import type { AddressCheck } from './read.ts';
import type { CheckResult } from './result.ts';

/** As much of an answer is looked through. */
const MOST_BYTES = 2 * 2 ** 20;

/** Asks an address: whether it answers in time, with the status and the text that are expected. */
export async function checkAddress({ address, method, expect, see, within }: AddressCheck): Promise<CheckResult> {
  const began = performance.now();
  const traceId = randomBytes(16).toString('hex');
  let error = '';
  try {
    const answer = await fetch(address, {
      method,
      redirect: 'follow',
      signal: AbortSignal.timeout(within),
      headers: { traceparent: `00-${traceId}-${randomBytes(8).toString('hex')}-01`, 'user-agent': 'dusk-lantern-check' },
    });
    const text = await boundedText(answer);
    if (answer.status !== expect) error = `it answered ${answer.status}, ${expect} is expected`;
    else if (see !== undefined && !text.includes(see)) error = `“${see}” is not in the answer`;
  } catch (thrown) {
    const { name, message, cause } = thrown as Error & { cause?: Error };
    error = name === 'TimeoutError' ? `no answer within ${within / 1_000} s` : (cause?.message ?? message);
  }
  const durationMs = performance.now() - began;
  return {
    ok: error === '',
    durationMs,
    error,
    steps: [{ name: `${method} ${new URL(address).pathname}`, ms: durationMs, ok: error === '', error }],
    picture: '',
    page: new URL(address).pathname,
    traceId,
  };
}

async function boundedText(answer: Response): Promise<string> {
  const parts: Uint8Array[] = [];
  let length = 0;
  const reader = answer.body?.getReader();
  for (let part = await reader?.read(); part?.value; part = await reader?.read()) {
    parts.push(part.value);
    length += part.value.length;
    if (length > MOST_BYTES) {
      await reader?.cancel();
      break;
    }
  }
  return Buffer.concat(parts).toString('utf8');
}
