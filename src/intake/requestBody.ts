import { promisify } from 'node:util';
import { gunzip } from 'node:zlib';
import type { IntakeSettings } from './settings.ts';

/** A body that cannot be taken, with the HTTP status that says so. */
export class RefusedBody extends Error {
  readonly status: 400 | 413 | 415;

  constructor(status: 400 | 413 | 415, message: string) {
    super(message);
    this.status = status;
  }
}

/**
 * The body of a request, decompressed, never holding more than the limits allow.
 *
 * @throws RefusedBody 413 over a limit, 415 for a compression other than gzip, 400 for broken compression or a cut-off body
 */
export async function readBody(request: Request, limits: IntakeSettings): Promise<Buffer> {
  const compression = request.headers.get('content-encoding')?.trim().toLowerCase() ?? 'identity';
  if (compression !== 'identity' && compression !== 'gzip' && compression !== '')
    throw new RefusedBody(415, `content encoding "${compression}" is not known here; send gzip or identity`);
  const packed = await collect(request, limits.bodyBytes);
  return compression === 'gzip' ? unpack(packed, limits.unpackedBytes) : packed;
}

async function collect(request: Request, limit: number): Promise<Buffer> {
  const tooLarge = () => new RefusedBody(413, `the body is over ${limit} bytes; send smaller batches`);
  if (Number(request.headers.get('content-length')) > limit) throw tooLarge();
  const parts: Uint8Array[] = [];
  let size = 0;
  const reader = request.body?.getReader();
  while (reader) {
    const { done, value } = await reader.read().catch(() => {
      throw new RefusedBody(400, 'the body ended before it was whole');
    });
    if (done) break;
    size += value.byteLength;
    if (size > limit) {
      await reader.cancel().catch(() => {});
      throw tooLarge();
    }
    parts.push(value);
  }
  return Buffer.concat(parts, size);
}

async function unpack(packed: Buffer, limit: number): Promise<Buffer> {
  try {
    return await promisify(gunzip)(packed, { maxOutputLength: limit });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE')
      throw new RefusedBody(413, `the body is over ${limit} bytes when decompressed; send smaller batches`);
    throw new RefusedBody(400, `the body is not gzip: ${(error as Error).message}`);
  }
}
