import { promisify } from 'node:util';
import { gunzip } from 'node:zlib';

/** A body that cannot be taken, with the HTTP status that says so. */
export class RefusedBody extends Error {
  readonly status: 400 | 413 | 415;

  constructor(status: 400 | 413 | 415, message: string) {
    super(message);
    this.status = status;
  }
}

/** A body as it came over the wire. */
export interface PackedBody {
  readonly bytes: Buffer;
  readonly isGzip: boolean;
  /** How large it is when unpacked, as far as it says itself. */
  readonly unpackedBytes: number;
}

/** How a request's body is compressed. @throws RefusedBody 415 for a compression other than gzip */
export function isGzip(request: Request): boolean {
  const compression = request.headers.get('content-encoding')?.trim().toLowerCase() ?? 'identity';
  if (compression !== 'identity' && compression !== 'gzip' && compression !== '')
    throw new RefusedBody(415, `content encoding "${compression}" is not known here; send gzip or identity`);
  return compression === 'gzip';
}

/** Collects a request's body, never holding more than the limit. @throws RefusedBody 413 over it, 400 when the body breaks off */
export async function collectBody(request: Request, limit: number): Promise<PackedBody> {
  const isPacked = isGzip(request);
  const tooLarge = () => new RefusedBody(413, `the body is over ${limit} bytes; send smaller batches`);
  const declared = Number(request.headers.get('content-length') ?? Number.NaN);
  if (declared > limit) throw tooLarge();
  // Where its size is known it is put together as it comes, in memory that is its own and can be given to another thread.
  const whole = Number.isSafeInteger(declared) && declared >= 0 ? Buffer.allocUnsafeSlow(declared) : undefined;
  const parts: Uint8Array[] = [];
  let size = 0;
  const reader = request.body?.getReader();
  while (reader) {
    const { done, value } = await reader.read().catch(() => {
      throw new RefusedBody(400, 'the body ended before it was whole');
    });
    if (done) break;
    if (size + value.byteLength > (whole ? declared : limit)) {
      await reader.cancel().catch(() => {});
      throw tooLarge();
    }
    if (whole) whole.set(value, size);
    else parts.push(value);
    size += value.byteLength;
  }
  const bytes = whole ? whole.subarray(0, size) : Buffer.concat(parts, size);
  // The last four bytes of gzip tell the size of what was packed.
  return { bytes, isGzip: isPacked, unpackedBytes: isPacked && size >= 18 ? bytes.readUInt32LE(size - 4) : size };
}

/** The body unpacked. @throws RefusedBody 413 when it is over the limit, 400 for broken compression */
export async function unpackBody({ bytes, isGzip: isPacked, unpackedBytes }: PackedBody, limit: number): Promise<Buffer> {
  const tooLarge = () => new RefusedBody(413, `the body is over ${limit} bytes when decompressed; send smaller batches`);
  if (unpackedBytes > limit) throw tooLarge();
  if (!isPacked) return bytes;
  try {
    return (await promisify(gunzip)(bytes, { maxOutputLength: Math.max(unpackedBytes, 1) })) as Buffer;
  } catch (error) {
    // Several packed parts one after the other tell the size of the last alone. That is allowed, but nobody sends it: one who says less
    // than there is gets no more room than was said.
    if ((error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE')
      throw new RefusedBody(413, `the body is over the ${unpackedBytes} bytes that its gzip says it has`);
    throw new RefusedBody(400, `the body is not gzip: ${(error as Error).message}`);
  }
}
