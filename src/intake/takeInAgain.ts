import { promisify } from 'node:util';
import { inflateRaw } from 'node:zlib';
import { MalformedRequest } from '../formats/otlp/wire/refusal.ts';
import { asideBlocks, forgetAside } from '../store/retention/setAside.ts';
import { acceptElsewhere } from './process/acceptElsewhere.ts';

const inflated = promisify(inflateRaw) as (data: Buffer) => Promise<Buffer<ArrayBuffer>>;

/**
 * Takes in again what was set aside of an old schema, block by block, each forgotten once what came of it has been committed. Where it was broken
 * off it goes on: a block that was kept already is known by its bytes. One that cannot be read stays where it is.
 *
 * @returns how many blocks were taken in
 */
export async function takeInAgain(): Promise<number> {
  let taken = 0;
  for await (const block of asideBlocks()) {
    const body = await inflated(block.data);
    try {
      const packed = { parts: [Uint8Array.from(body)], isGzip: false, unpackedBytes: body.length };
      await acceptElsewhere(block.signal, packed, 'application/x-protobuf', body.length, '');
    } catch (failure) {
      if (!(failure instanceof MalformedRequest)) throw failure;
      console.error(`block ${block.blockId} of ${block.table} cannot be read and stays there: ${failure.message}`);
      continue;
    }
    await forgetAside(block);
    taken++;
  }
  return taken;
}
