import { attempts, cancelledNodes, gaveUp } from '../src/core/failures/attempts.ts';
import { failureChains, failureRoles } from '../src/core/failures/failureRoles.ts';
import { foldSiblings } from '../src/core/trace/alike/fold.ts';
import { assemble } from '../src/core/trace/assemble.ts';
import { selfTimes } from '../src/core/trace/selfTime.ts';
import { criticalPath } from '../src/core/trace/time/criticalPath.ts';
import { queueWaits } from '../src/core/trace/time/flow.ts';
import { ledger } from '../src/core/trace/time/ledger.ts';
import { largeTrace, SHAPES } from './largeTraces.ts';
import { medianOf, report } from './support/measure.ts';

/** All that is computed of a trace, against parsing the same spans as JSON in the same run. */
export async function benchTrace(): Promise<void> {
  for (const shape of Object.keys(SHAPES)) {
    for (const count of [20_000, 100_000]) {
      const spans = largeTrace(shape, count);
      const text = JSON.stringify(spans.map((span) => ({ ...span, start: String(span.start), end: String(span.end) })));
      const compute = () => {
        const trace = assemble(spans)!;
        const path = criticalPath(trace);
        ledger(trace, path);
        selfTimes(trace);
        failureChains(trace, failureRoles(trace));
        foldSiblings(trace, path);
        attempts(trace);
        gaveUp(trace);
        cancelledNodes(trace);
        queueWaits(trace);
      };
      const reference = await medianOf(7, () => JSON.parse(text));
      report(`${shape}, ${count.toLocaleString('en')} spans`, await medianOf(7, compute), 'parsing them as JSON', reference);
    }
  }
}
