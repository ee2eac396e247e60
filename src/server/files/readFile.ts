import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { createInterface } from 'node:readline';
import type { Readable } from 'node:stream';
import { createGunzip } from 'node:zlib';
import { readHar } from '../../formats/har/readHar.ts';
import { readJsonRequest, signalOfJson } from '../../formats/otlp/json/fromJson.ts';
import { encodeLogsProtobuf } from '../../formats/otlp/record/encodeLogs.ts';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import { Refusals } from '../../formats/otlp/wire/refusal.ts';
import { readRequest, type TelemetryRequest, writeRequest } from '../../formats/otlp/wire/request.ts';
import { readCpuProfile } from '../../formats/profile/cpuProfile.ts';
import { readFolded } from '../../formats/profile/folded.ts';
import { readPprof } from '../../formats/profile/pprof.ts';
import { type ProfileSource, toOtlpProfiles } from '../../formats/profile/tables.ts';
import type { FileKind } from './fileKind.ts';

/** An export request that a part of a file was made into. The same file gives the same parts, however often it is read. */
export interface FilePart {
  readonly signal: Signal;
  readonly body: Buffer;
  readonly records: number;
  /** How far into the file it reaches, in bytes as the file lies on the disk. */
  readonly read: number;
  /** Records that could not be read, by reason. */
  readonly refused: ReadonlyMap<string, number>;
}

const MOST_RECORDS = 2000;
const MOST_BYTES = 4 * 1024 * 1024;
/** Files that can only be read as a whole may not be larger, unpacked. */
const LARGEST_WHOLE = 256 * 1024 * 1024;

/** Reads a file in parts small enough to be sent. @param service whose profiles they are @throws Error saying what cannot be read, and where */
export async function* readFile(path: string, kind: FileKind, service: string | undefined): AsyncGenerator<FilePart> {
  const modified = BigInt(Math.floor((await stat(path)).mtimeMs)) * 1_000_000n;
  if (kind.type === 'otlp-json') {
    yield* jsonParts(path);
    return;
  }
  const { bytes, read } = await wholeFile(path, kind.type === 'pprof');
  if (kind.type === 'otlp-protobuf') {
    for (const request of split(readRequest(bytes))) yield part(kind.signal, request, read, new Map());
    return;
  }
  const name = service ?? basename(path).split('.')[0];
  if (kind.type === 'har') {
    const body = Buffer.from(encodeLogsProtobuf(readHar(bytes.toString('utf8'), name)));
    for (const request of split(readRequest(body))) yield part('logs', request, read, new Map());
    return;
  }
  const profiles: ProfileSource[] =
    kind.type === 'pprof'
      ? readPprof(bytes, modified)
      : [kind.type === 'folded' ? readFolded(bytes.toString(), modified) : readCpuProfile(bytes.toString(), modified)];
  const refusals = new Refusals();
  const request = readJsonRequest(
    JSON.stringify(toOtlpProfiles([{ resource: { 'service.name': name }, profiles }])),
    'profiles',
    refusals,
  );
  yield part('profiles', request, read, refusals.byReason);
}

function open(path: string): { content: Readable; read: () => number } {
  const raw = createReadStream(path);
  if (!path.toLowerCase().endsWith('.gz')) return { content: raw, read: () => raw.bytesRead };
  const unpacked = createGunzip();
  raw.on('error', (error) => unpacked.destroy(error));
  return { content: raw.pipe(unpacked), read: () => raw.bytesRead };
}

async function wholeFile(path: string, asItIs: boolean): Promise<{ bytes: Buffer; read: number }> {
  const { content, read } = asItIs ? plain(path) : open(path);
  const pieces: Buffer[] = [];
  let size = 0;
  for await (const piece of content) {
    size += (piece as Buffer).length;
    if (size > LARGEST_WHOLE) throw new Error(`it is over ${LARGEST_WHOLE} bytes, too large to be read as a whole`);
    pieces.push(piece as Buffer);
  }
  return { bytes: Buffer.concat(pieces), read: read() };
}

function plain(path: string) {
  const content = createReadStream(path);
  return { content, read: () => content.bytesRead };
}

/** An export request a line; or one that is written over many lines. */
async function* jsonParts(path: string): AsyncGenerator<FilePart> {
  const { content, read } = open(path);
  let failure: Error | undefined;
  const lines = createInterface({ input: content, crlfDelay: Number.POSITIVE_INFINITY });
  // Lines hand on what happens to their stream, and would end the program where nobody hears it.
  lines.on('error', (error: Error) => {
    failure = error;
    lines.close();
  });
  let at = 0;
  for await (const line of lines) {
    at++;
    if (line.trim() === '') continue;
    if (at === 1 && !isWhole(line)) {
      lines.close();
      content.destroy();
      const { bytes, read: size } = await wholeFile(path, false);
      yield* partsOf(bytes.toString(), size, 'the file');
      return;
    }
    yield* partsOf(line, read(), `line ${at}`);
  }
  if (failure) throw new Error(`it is broken after line ${at}: ${failure.message}`);
}

function isWhole(line: string): boolean {
  try {
    JSON.parse(line);
    return true;
  } catch {
    return false;
  }
}

function* partsOf(text: string, read: number, where: string): Generator<FilePart> {
  const signal = signalOfJson(text);
  if (!signal) throw new Error(`${where} is no OTLP/JSON export request`);
  const refusals = new Refusals();
  let request: TelemetryRequest;
  try {
    request = readJsonRequest(text, signal, refusals);
  } catch (error) {
    throw new Error(`${where}: ${(error as Error).message}`);
  }
  let refused: ReadonlyMap<string, number> = refusals.byReason;
  // A profile leans on the dictionary of its whole request: those stay in one piece.
  for (const piece of signal === 'profiles' ? [request] : split(request)) {
    yield part(signal, piece, read, refused);
    refused = new Map();
  }
}

function part(signal: Signal, request: TelemetryRequest, read: number, refused: ReadonlyMap<string, number>): FilePart {
  const records = request.groups.reduce((sum, group) => sum + group.records.length, 0);
  return { signal, body: writeRequest(request), records, read, refused };
}

/** A request in pieces that a receiver takes, in order. */
function* split({ groups, beside }: TelemetryRequest): Generator<TelemetryRequest> {
  let piece: TelemetryRequest['groups'][number][] = [];
  let records = 0;
  let bytes = 0;
  for (const group of groups) {
    let own: Uint8Array[] = [];
    for (const record of group.records) {
      if (records > 0 && (records >= MOST_RECORDS || bytes + record.length > MOST_BYTES)) {
        if (own.length > 0) piece.push({ ...group, records: own });
        yield { groups: piece, beside };
        piece = [];
        own = [];
        records = 0;
        bytes = 0;
      }
      own.push(record);
      records++;
      bytes += record.length;
    }
    if (own.length > 0) piece.push({ ...group, records: own });
  }
  if (piece.length > 0) yield { groups: piece, beside };
}
