import { basename } from 'node:path';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';

/** What a file holds, as its name tells. */
export type FileKind =
  | { readonly type: 'otlp-json' }
  | { readonly type: 'otlp-protobuf'; readonly signal: Signal }
  | { readonly type: 'pprof' | 'folded' | 'cpuprofile' | 'har' };

/** Endings that files of telemetry have, without `.gz`. */
const JSON_ENDING = /\.(json|jsonl|ndjson)$/;
const PROTOBUF_ENDING = /\.(pb|bin|otlp|protobuf)$/;

/**
 * What a file holds, by its ending; for protobuf the signal is told, or stands in the name.
 *
 * @returns what it is, or why that cannot be told
 */
export function fileKind(path: string, signal: Signal | undefined): FileKind | { readonly unknown: string } {
  const name = basename(path).toLowerCase();
  const plain = name.replace(/\.gz$/, '');
  if (/\.(pprof|prof)$/.test(plain) || (/\.pb$/.test(plain) && /pprof|cpu|heap|wall/.test(plain) && signal === undefined))
    return { type: 'pprof' };
  if (/\.(folded|collapsed|stacks)$/.test(plain)) return { type: 'folded' };
  if (/\.cpuprofile$/.test(plain)) return { type: 'cpuprofile' };
  if (/\.har$/.test(plain)) return { type: 'har' };
  if (JSON_ENDING.test(plain)) return { type: 'otlp-json' };
  if (!PROTOBUF_ENDING.test(plain))
    return { unknown: 'its ending is none of .json .jsonl .pb .pprof .folded .cpuprofile .har (or those with .gz)' };
  const named = signal ?? SIGNALS.find((it) => plain.includes(it) || plain.includes(it.slice(0, -1)));
  return named ? { type: 'otlp-protobuf', signal: named } : { unknown: 'say with --signal what its protobuf holds' };
}
