import { z } from 'zod';
import { type WrittenProfile, writeCpuProfile, writeFolded, writePprof } from '../../formats/profile/writeProfile.ts';
import { stackSums } from '../../store/profiles/stackSums.ts';
import { comparisonParameters, windowsOf } from '../comparison.ts';
import { ApiError, type Asked, errorAnswer } from '../endpoint.ts';
import { codeParameters } from './codeParameters.ts';

const asked = z.object({
  ...comparisonParameters,
  ...codeParameters,
  format: z.enum(['pprof', 'folded', 'cpuprofile']),
});

/** How each format is written, what it is called, and of which type it is. */
const FORMATS = {
  pprof: { write: (it: WrittenProfile) => Buffer.from(writePprof(it)), ending: 'pb', type: 'application/octet-stream' },
  folded: { write: (it: WrittenProfile) => writeFolded(it), ending: 'folded.txt', type: 'text/plain; charset=utf-8' },
  cpuprofile: { write: (it: WrittenProfile) => writeCpuProfile(it), ending: 'cpuprofile', type: 'application/json' },
} as const;

/** The lit profile of a service as a file of an open format. */
export async function downloadProfile({ url }: Asked): Promise<Response> {
  try {
    const read = asked.safeParse(Object.fromEntries(url.searchParams));
    if (!read.success) throw new ApiError(400, read.error.issues.map((it) => `${it.path.join('.')}: ${it.message}`).join('; '));
    const { service, type, version, instance, operation, format, against: _, ...query } = read.data;
    if (service === '') throw new ApiError(400, 'service: say whose profile is wanted');
    const { lit } = await windowsOf(query);
    const sums = await stackSums(lit.from, lit.to, service, {
      type,
      version: version || undefined,
      instance: instance || undefined,
      operation: operation || undefined,
    });
    if (sums.total === 0) throw new ApiError(404, `Nothing was sampled of ${service} in this window.`);
    const { frames } = sums;
    const [measured, unit = ''] = type.split(' ');
    const { write, ending, type: contentType } = FORMATS[format];
    const body = write({
      type: measured,
      unit,
      period: sums.count > 0 ? sums.total / sums.count : 0,
      timeNs: lit.from,
      durationNs: lit.to - lit.from,
      samples: sums.stacks.map((stack) => ({ frames: stack.frames.map((at) => frames[at]), value: stack.value })),
    });
    return new Response(body, {
      headers: {
        'content-type': contentType,
        'content-disposition': `attachment; filename="${service.replace(/[^\w.-]/g, '_')}-${measured}.${ending}"`,
        'cache-control': 'no-store',
      },
    });
  } catch (error) {
    return errorAnswer(error);
  }
}
