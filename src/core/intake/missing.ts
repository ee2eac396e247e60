/** What is known of one who sends a signal, summed over its instances. */
export interface SenderFigures {
  readonly signal: string;
  readonly service: string;
  readonly version: string;
  readonly sdk: string;
  readonly records: number;
  readonly withTrace: number;
  /** How far the end of the newest record was ahead of the clock here when it came, in milliseconds. */
  readonly aheadMs: number;
}

/** A record that ends this long after it came is from a clock that runs ahead. */
const AHEAD_MS = 1_000;
/** Senders gather records for a few seconds, seldom for longer than this. */
const BEHIND_MS = 120_000;
/** With fewer log records than this, nothing is said of how many of them name a trace. */
const ENOUGH_LOGS = 20;
const FEW = 0.05;

/** What a sender leaves out that an investigation would miss, each in words. */
export function missingOf({ signal, service, version, sdk, records, withTrace, aheadMs }: SenderFigures): string[] {
  const missing: string[] = [];
  if (service === 'unknown_service') missing.push('no service.name: it cannot be distinguished from others');
  else if (version === '') missing.push('no service.version: versions cannot be compared');
  if (sdk === '') missing.push('no telemetry.sdk attributes');
  if (signal === 'logs' && records >= ENOUGH_LOGS && withTrace < FEW * records)
    missing.push(withTrace === 0 ? 'no log record names its trace' : 'few log records name their trace');
  if (aheadMs > AHEAD_MS) missing.push(`its clock is ahead by ${spoken(aheadMs)}`);
  else if (aheadMs < -BEHIND_MS) missing.push(`arrives ${spoken(-aheadMs)} after it happened: clock behind, or sent late`);
  return missing;
}

function spoken(ms: number): string {
  const seconds = Math.round(ms / 1000);
  if (seconds < 120) return `${seconds} s`;
  if (seconds < 7200) return `${Math.round(seconds / 60)} min`;
  return seconds < 172_800 ? `${Math.round(seconds / 3600)} h` : `${Math.round(seconds / 86_400)} days`;
}
