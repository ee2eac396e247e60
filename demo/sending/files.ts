import { closeSync, mkdirSync, openSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { requestToJson } from '../../src/formats/otlp/json/toJson.ts';
import { SIGNALS, type Signal } from '../../src/formats/otlp/wire/messages.ts';
import { readRequest } from '../../src/formats/otlp/wire/request.ts';
import type { Parcel } from './parcels.ts';

/** Writes parcels into a folder as OTLP JSON lines: a file for each signal, a request a line. */
export class Files {
  readonly #open: ReadonlyMap<Signal, number>;

  constructor(folder: string) {
    mkdirSync(folder, { recursive: true });
    this.#open = new Map(SIGNALS.map((signal) => [signal, openSync(join(folder, `${signal}.jsonl`), 'w')]));
  }

  post({ signal, body }: Parcel): void {
    writeSync(this.#open.get(signal)!, `${JSON.stringify(requestToJson(readRequest(body), signal))}\n`);
  }

  end(): void {
    for (const file of this.#open.values()) closeSync(file);
  }
}
