import { innerMap } from '../../maps/innerMap.ts';
import type { Trace } from '../assemble.ts';

const known = new WeakMap<Trace, Int32Array>();

/** Per node a number that is the same for nodes of the same service, operation and kind. Worked out once for a trace. */
export function likeNumbers(trace: Trace): Int32Array {
  let numbers = known.get(trace);
  if (!numbers) {
    numbers = numbered(trace);
    known.set(trace, numbers);
  }
  return numbers;
}

function numbered({ nodes }: Trace): Int32Array {
  const byService = new Map<string, Map<string, Map<string, number>>>();
  const numbers = new Int32Array(nodes.length);
  let next = 0;
  for (const [at, { span }] of nodes.entries()) {
    const byName = innerMap(innerMap(byService, span.service), span.kind);
    let number = byName.get(span.name);
    if (number === undefined) {
      number = next++;
      byName.set(span.name, number);
    }
    numbers[at] = number;
  }
  return numbers;
}
