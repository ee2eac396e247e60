import type { Frame } from './stackSample.ts';

/** Where runtimes and libraries lie, by file. */
const LIBRARY_FILE =
  /node_modules|^node:|site-packages|lib\/python|\/usr\/local\/go|go\/pkg\/mod|(?:^|\/)vendor\/|^(?:java|javax|jdk|jakarta|sun|kotlin|scala|org|io|com)\/|\.s$/;
/** Packages that come with a runtime, by how a frame is named. */
const LIBRARY_NAME =
  /^(?:java|javax|jdk|jakarta|sun|kotlin|scala)\.|^(?:runtime|net|reflect|sync|sort|bytes|strings|encoding|bufio|io|os|syscall|time|math|crypto|compress|fmt|database|internal)(?:\/[a-z0-9]+)*\.[A-Z(a-z]/;
/** What runtimes add to a stack of their own, without a file. */
const RUNTIME_NAME = /^\((?:garbage collector|program|idle|root)\)$/;
/** Modules of Python's own library, which lie beside each other without a folder. */
const PYTHON_FILE = /^(?:threading|socket|ssl|selectors|queue|asyncio\/\w+|http\/\w+|json\/\w+|re)\.py$/;

/** Whether a frame lies in the program's own code, as far as its name and file tell. */
export function isOwnFrame({ name, file }: Frame): boolean {
  if (RUNTIME_NAME.test(name) || PYTHON_FILE.test(file)) return false;
  // A function without a file is one of the engine's.
  if (file === '') return /[./:]/.test(name);
  return !LIBRARY_FILE.test(file) && !(LIBRARY_NAME.test(name) && !file.startsWith('src/'));
}

/** The runtime that a frame's file is of; undefined where its ending does not tell. */
export function runtimeOf({ file }: Frame): Runtime | undefined {
  if (/\.(?:go|s)$/.test(file)) return 'go';
  if (/\.(?:java|kt|scala)$/.test(file)) return 'java';
  if (/\.py$/.test(file)) return 'python';
  return /^node:|\.[cm]?[jt]sx?$/.test(file) ? 'nodejs' : undefined;
}

export type Runtime = 'go' | 'java' | 'python' | 'nodejs';
