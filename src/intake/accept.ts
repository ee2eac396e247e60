import { createHash } from 'node:crypto';
import { bisectLeft } from 'd3-array';
import { type CandidateFinder, maskAround, maskRequest, recordMasking } from '../formats/otlp/masking/maskRequest.ts';
import { finds, type SignScan } from '../formats/otlp/masking/scan.ts';
import { openRequest, readWhole } from '../formats/otlp/span/decodeTraces.ts';
import type { OtlpEncoding } from '../formats/otlp/wire/answers.ts';
import type { Signal } from '../formats/otlp/wire/messages.ts';
import { ofEnvironment } from '../formats/otlp/wire/ofEnvironment.ts';
import { Refusals } from '../formats/otlp/wire/refusal.ts';
import { countingNames } from '../store/dictionaries/newNames.ts';
import type { Body } from '../store/ingest/commitBatch.ts';
import { withoutCrowded } from './crowdedRecords.ts';
import type { CommittedFrom, Keeper } from './keeper.ts';
import { maskingNow } from './masking.ts';
import { keepLogs } from './signals/logs.ts';
import { keepMetrics } from './signals/metrics.ts';
import { keepProfiles } from './signals/profiles.ts';
import { keepTraces } from './signals/traces.ts';

const KEEPERS: Readonly<Record<Signal, Keeper>> = {
  traces: keepTraces,
  logs: keepLogs,
  metrics: keepMetrics,
  profiles: keepProfiles,
};

/** Signals of which the records are masked by their keeper: it sees what it has seen before, and need not look at it again. */
const MASKED_WHEN_READ: ReadonlySet<Signal> = new Set(['traces']);
/** By which a body is known when it comes again. On processors of 64 bits it takes half the time of SHA-256, and is as long. */
const HASH = 'sha512-256';

/** What became of a request. */
export interface Accepted extends CommittedFrom {
  /** Records that were refused, by the reason. */
  readonly refused: ReadonlyMap<string, number>;
  /** How many things were masked. */
  readonly masked: number;
  /** How many names it brought that were not known before. */
  readonly names: number;
}

/**
 * Keeps the records of one export request: reads, masks, derives, writes. When this returns, what it says is kept has been committed.
 *
 * @param maskingChanged what `maskingChanges` says where rules are changed
 * @param environment that all of it is of, whatever it says itself; empty for what it says
 * @throws MalformedRequest when the body cannot be read; any error of the store
 */
export async function accept(
  signal: Signal,
  body: Buffer,
  encoding: OtlpEncoding,
  maskingChanged: number,
  environment = '',
): Promise<Accepted> {
  const { ready, look } = await maskingNow(maskingChanged);
  // From here until the records are read nothing else is begun in this thread.
  ready.begin();
  const refusals = new Refusals();
  const opened = readWhole(() => withoutCrowded(openRequest(body, encoding, signal, refusals), signal, refusals));
  let masked = 0;
  const onMask = () => {
    masked++;
  };
  const withoutSecrets = MASKED_WHEN_READ.has(signal)
    ? maskAround(opened, signal, ready, refusals, onMask, new CloseLook(look))
    : maskRequest(opened, signal, ready, refusals, onMask, worthALook(look, body, encoding));
  const request = environment === '' ? withoutSecrets : ofEnvironment(withoutSecrets, environment);
  const answer = (accepted: number): Body => ({
    hash: createHash(HASH).update(`${signal} ${encoding} ${environment}`).update(body).digest('hex'),
    accepted,
    rejected: refusals.count,
    message: refusals.toString(),
  });
  const { result, names } = await countingNames(() =>
    KEEPERS[signal](request, refusals, answer, recordMasking(look, signal, ready, onMask)),
  );
  const kept = result ?? {
    accepted: 0,
    rejected: refusals.count,
    message: refusals.toString(),
    repeated: false,
    senders: [],
  };
  return { ...kept, refused: refusals.byReason, masked, names };
}

/** Which pieces of a body may hold something to be masked. */
function worthALook(look: SignScan, body: Buffer, encoding: OtlpEncoding): CandidateFinder {
  // JSON may hide it behind escapes.
  if (encoding === 'application/json') return new CloseLook(look);
  // One look at all the bytes tells which records are worth another.
  const offsets = look(body);
  return offsets === 'anywhere' ? ANYWHERE : new LookAt(look, body, Float64Array.from(offsets).sort());
}

const ANYWHERE: CandidateFinder = { mayHold: () => true };

/** Looks into each piece. */
class CloseLook implements CandidateFinder {
  readonly #look: SignScan;

  constructor(look: SignScan) {
    this.#look = look;
  }

  mayHold(piece: Uint8Array): boolean {
    return finds(this.#look, piece);
  }
}

/** Knows the places in a body where something may be. */
class LookAt implements CandidateFinder {
  readonly #look: SignScan;
  readonly #body: Buffer;
  readonly #offsets: Float64Array;

  constructor(look: SignScan, body: Buffer, offsets: Float64Array) {
    this.#look = look;
    this.#body = body;
    this.#offsets = offsets;
  }

  mayHold(piece: Uint8Array): boolean {
    // What came in parts was put together, and is no part of the body.
    if (piece.buffer !== this.#body.buffer) return finds(this.#look, piece);
    const start = piece.byteOffset - this.#body.byteOffset;
    return this.#offsets[bisectLeft(this.#offsets, start)] < start + piece.length;
  }
}
