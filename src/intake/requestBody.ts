import type { Readable } from 'node:stream';
import { promisify } from 'node:util';
import { gunzip } from 'node:zlib';
import type { BodyMemory } from './bodyMemory.ts';

/** A body that cannot be taken, with the HTTP status that says so. */
export class RefusedBody extends Error {
  readonly status: 400 | 408 | 413 | 415;

  constructor(status: RefusedBody['status'], message: string) {
    super(message);
    this.status = status;
  }
}

/** There is no room for more at this moment. */
export class NoRoom extends Error {}

/** A body as it came over the wire. */
export interface PackedBody {
  /** Its bytes, each part in memory of its own, so that it can be given to another thread without being copied. */
  readonly parts: readonly Uint8Array<ArrayBuffer>[];
  readonly isGzip: boolean;
  /** How large it is when unpacked, as far as it says itself. */
  readonly unpackedBytes: number;
}

/** How a request's body is compressed. @throws RefusedBody 415 for a compression other than gzip */
function isPacked(headers: Headers): boolean {
  const compression = headers.get('content-encoding')?.trim().toLowerCase() ?? 'identity';
  if (compression !== 'identity' && compression !== 'gzip' && compression !== '')
    throw new RefusedBody(415, `content encoding "${compression}" is not known here; send gzip or identity`);
  return compression === 'gzip';
}

/**
 * Collects a request's body, never holding more than the limit.
 *
 * @param take makes room for bytes that have come; what is declared but does not come takes none
 * @throws RefusedBody 413 over the limit, 415 for an unknown compression, 400 when the body breaks off, 408 when it comes too slowly;
 *   NoRoom. What is left of it nobody has read
 */
export async function collectBody(
  headers: Headers,
  incoming: Readable,
  limit: number,
  take: (bytes: number) => boolean = () => true,
): Promise<PackedBody> {
  const isGzip = isPacked(headers);
  const declared = Number(headers.get('content-length') ?? Number.NaN);
  if (declared > limit) throw tooLarge(limit);
  const parts = await collectParts(incoming, declared >= 0 ? declared : limit, limit, take);
  const { size } = parts;
  const all = parts.end();
  return { parts: all, isGzip, unpackedBytes: isGzip && size >= 18 ? lastNumber(all) : size };
}

function tooLarge(limit: number): RefusedBody {
  return new RefusedBody(413, `the body is over ${limit} bytes; send smaller batches`);
}

/** Within each of these stretches at least so many bytes come, or the sender is too slow to be waited for. */
const STRETCH_MS = 5_000;
const LEAST_BYTES = 40 * 1024;

/** What comes is taken as it comes: to be asked for each part would cost more than the parts do. */
function collectParts(incoming: Readable, most: number, limit: number, takeRoom: (bytes: number) => boolean): Promise<Parts> {
  return new Promise((resolve, reject) => {
    const parts = new Parts();
    let before = 0;
    const slow = setInterval(() => {
      if (parts.size - before < LEAST_BYTES)
        end(() => reject(new RefusedBody(408, `less than ${LEAST_BYTES} bytes came within ${STRETCH_MS / 1000} s`)));
      before = parts.size;
    }, STRETCH_MS);
    const take = (part: Uint8Array) => {
      if (parts.size + part.byteLength > most) end(() => reject(tooLarge(limit)));
      else if (!takeRoom(part.byteLength)) end(() => reject(new NoRoom('more has come than can be worked on now')));
      else parts.add(part);
    };
    const whole = () => end(() => resolve(parts));
    const broken = () => end(() => reject(new RefusedBody(400, 'the body ended before it was whole')));
    const end = (tell: () => void) => {
      clearInterval(slow);
      incoming.pause();
      incoming.off('data', take).off('end', whole).off('close', broken);
      tell();
    };
    // One who broke off before anybody listened is not told of again.
    if (incoming.destroyed) {
      broken();
      return;
    }
    // An error is told as the end of it too, and must not end the process when it comes later.
    incoming.on('error', () => {});
    incoming.on('data', take).on('end', whole).on('close', broken);
  });
}

/** A smaller part than this is put together with those beside it: each has a price of its own. */
const SMALL = 16 * 1024;

/** The parts of a body as they come. */
class Parts {
  size = 0;
  readonly #parts: Uint8Array<ArrayBuffer>[] = [];
  #small: Uint8Array[] = [];
  #smallBytes = 0;

  add(part: Uint8Array): void {
    this.size += part.byteLength;
    if (part.byteLength < SMALL) {
      this.#small.push(part);
      this.#smallBytes += part.byteLength;
      if (this.#smallBytes >= SMALL) this.#flush();
      return;
    }
    this.#flush();
    this.#parts.push(inOwnMemory(part));
  }

  end(): readonly Uint8Array<ArrayBuffer>[] {
    this.#flush();
    return this.#parts;
  }

  #flush(): void {
    if (this.#smallBytes === 0) return;
    const together = new Uint8Array(this.#smallBytes);
    let at = 0;
    for (const part of this.#small) {
      together.set(part, at);
      at += part.byteLength;
    }
    this.#parts.push(together);
    this.#small = [];
    this.#smallBytes = 0;
  }
}

function inOwnMemory(part: Uint8Array): Uint8Array<ArrayBuffer> {
  const { buffer } = part;
  return buffer instanceof ArrayBuffer && part.byteLength === buffer.byteLength ? new Uint8Array(buffer) : new Uint8Array(part);
}

/** The last four bytes of gzip tell the size of what was packed. */
function lastNumber(parts: readonly Uint8Array[]): number {
  const last: number[] = [];
  for (let part = parts.length - 1; last.length < 4; part--)
    for (let at = parts[part].length - 1; at >= 0 && last.length < 4; at--) last.unshift(parts[part][at]);
  return Buffer.from(last).readUInt32LE(0);
}

/**
 * The body unpacked, in memory that is to be given back.
 *
 * @throws RefusedBody 413 when it is over the limit, 400 for broken compression
 */
export async function unpackBody(
  { parts, isGzip, unpackedBytes }: PackedBody,
  limit: number,
  memory: BodyMemory,
): Promise<Buffer> {
  if (unpackedBytes > limit)
    throw new RefusedBody(413, `the body is over ${limit} bytes when decompressed; send smaller batches`);
  const bytes = memory.take(parts);
  if (!isGzip) return bytes;
  try {
    return (await promisify(gunzip)(bytes, { maxOutputLength: Math.max(unpackedBytes, 1) })) as Buffer;
  } catch (error) {
    // Several packed parts one after the other tell the size of the last alone. That is allowed, but nobody sends it: one who says less
    // than there is gets no more room than was said.
    if ((error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE')
      throw new RefusedBody(413, `the body is over the ${unpackedBytes} bytes that its gzip says it has`);
    throw new RefusedBody(400, `the body is not gzip: ${(error as Error).message}`);
  } finally {
    memory.give(bytes);
  }
}
