/** Ways to write code that cost more than they need to. */
export const HABITS = {
  'text in a loop': {
    title: 'Text built up in a loop',
    advice: 'Collect the parts in a list and join them once, or write them into a buffer of bytes.',
    unit: 'cpu',
  },
  'unread logging': {
    title: 'Log lines for nobody',
    advice: 'Ask whether the level is on before the line is built; drop it where nobody keeps it.',
    unit: 'cpu',
  },
  'serialize in a loop': {
    title: 'Serialized again in a loop',
    advice: 'Serialize once outside of the loop, or pass the object on as it is.',
    unit: 'cpu',
  },
  'pattern compiled again': {
    title: 'Pattern compiled on each use',
    advice: 'Compile the pattern once, where the program starts.',
    unit: 'cpu',
  },
  'blocking call': {
    title: 'Blocking call on the event loop',
    advice: 'Use the asynchronous call; all other requests of the process wait as long as this one runs.',
    unit: 'cpu',
  },
  'sort or search in a loop': {
    title: 'Sorted or searched again in a loop',
    advice: 'Sort once before the loop; look up in a set or a map in place of a list.',
    unit: 'cpu',
  },
  'list copied': {
    title: 'List copied again and again',
    advice: 'Append in place, or copy once after the loop.',
    unit: 'cpu',
  },
  'exceptions as control flow': {
    title: 'Exceptions as control flow',
    advice: 'Return a result for what is expected to happen; building a stack is the dear part.',
    unit: 'cpu',
  },
  'lock contention': {
    title: 'Threads wait for one lock',
    advice: 'Hold the lock for less, split it, or let each thread have its own copy.',
    unit: 'wall',
  },
  'each with each': {
    title: 'Each held against each, n²',
    advice: 'Keep one side in order or in a map by key, and hold each only against its neighbours.',
    unit: 'cpu',
  },
  'many small queries': {
    title: 'One small query for each item',
    advice: 'Ask for all items with one query.',
    unit: 'wall',
  },
  'garbage collection': {
    title: 'Allocation that drives garbage collection',
    advice: 'Reuse buffers, or make fewer short-lived objects on this path.',
    unit: 'cpu',
  },
  'memory kept': {
    title: 'Memory that is kept and grows',
    advice: 'Let go of what is not needed: bound the list or the map, or remove entries when they are done.',
    unit: 'bytes',
  },
} as const satisfies Record<string, { title: string; advice: string; unit: 'cpu' | 'wall' | 'bytes' }>;

export type HabitId = keyof typeof HABITS;
