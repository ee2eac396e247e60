import type { FileFacts, LineFacts, Loop, Mark } from './lineFacts.ts';

/*
 * Facts of Go, Java, Kotlin, Python and TypeScript from their text: loops by their keywords and by braces or indentation, what a line does by
 * the names that each language's libraries give it. Less exact than a parser, and said so where it is used.
 */

const MARKED: readonly (readonly [mark: Mark, pattern: RegExp])[] = [
  [
    'append text',
    /\b(\w+)\s*\+=\s*(?:["'`]|.*["'`]|str\(|String\.|String\(|fmt\.Sprint)|\b(\w+)\s*=\s*\2\s*\+\s*.*(?:["'`]|String|str\(|Sprint)/,
  ],
  [
    'serialize',
    /\bjson\.(?:dumps?|loads?|Marshal|Unmarshal|NewEncoder|NewDecoder)|ObjectMapper|\.readValue\(|\.writeValue|JSON\.(?:parse|stringify)|pickle\./,
  ],
  ['compile pattern', /Pattern\.compile|regexp\.(?:Must)?Compile|\bre\.(?:compile|match|search|sub)\(|new RegExp/],
  ['sort', /\bsort\.(?:Slice|Sort|Strings|Ints)|Collections\.sort|\.sort\(|\bsorted\(|slices\.Sort/],
  ['search', /\.(?:contains|indexOf|includes|index)\(|slices\.(?:Contains|Index)|\bnot in \w+|\bif \w+ in \w+/],
  ['copy list', /new ArrayList<[^>]*>\(\w|\.addAll\(|Arrays\.copyOf|append\(\[\]|\blist\(\w+\)|copy\.(?:deep)?copy|\.clone\(\)/],
  ['log', /\b(?:log|logger|logging|LOG)\.(?:debug|trace|info|Debug|Trace|Printf?|finest?)\b|\bdebug\(/],
  ['throw', /\bthrow\b|\braise\b|\bpanic\(/],
  ['keep', /\.(?:append|add|put|push)\(|\w\[[^\]]+\]\s*=[^=]/],
  ['query', /\b(?:query|execute|QueryRow|Query|prepareStatement|executeQuery|row|rows)\(/],
];

const LOOP = /^(?:\}?\s*)?(?:for|while)\b(.*)$/;
const STREAM = /(\w+)(?:\(\))?\.(?:stream\(\)\.)?(?:forEach|map|filter)\(/;
const FUNCTION: Readonly<Record<string, RegExp>> = {
  go: /^func\s+(?:\([^)]*\)\s*)?(\w+)/,
  py: /^\s*(?:async\s+)?def\s+(\w+)/,
  java: /^\s*(?:(?:public|private|protected|static|final|synchronized|abstract|default)\s+)*[\w<>[\],.? ]+\s+(\w+)\s*\([^;]*\)\s*(?:throws [\w., ]+)?\{/,
  ts: /(?:function\s+(\w+)|^\s*(?:async\s+)?(\w+)\s*\([^)]*\)[^;]*\{\s*$|(?:const|let)\s+(\w+)\s*=\s*(?:async\s*)?\()/,
};

/** What a loop's head goes over: `wanted` of `for _, w := range wanted`, of `for (W w : wanted)`, of `for w in wanted`. */
function overOf(head: string): string {
  const match =
    /\brange\s+([\w.]+)/.exec(head) ??
    /:\s*([\w.]+)\s*\)/.exec(head) ??
    /\bin\s+([\w.]+)/.exec(head) ??
    /\bof\s+([\w.]+)/.exec(head) ??
    /<=?\s*(?:len\()?([\w.]+)/.exec(head);
  return (
    match?.[1]
      .replace(/\.(?:length|size)$/, '')
      .split('.')
      .pop() ?? ''
  );
}

/** @param file by whose ending the language is told */
export function textFacts(source: string, file: string): FileFacts | undefined {
  const ending = /\.(\w+)$/.exec(file)?.[1] ?? '';
  if (ending === 'py') return pythonFacts(source);
  const language = {
    go: 'go',
    java: 'java',
    kt: 'java',
    scala: 'java',
    ts: 'ts',
    tsx: 'ts',
    mts: 'ts',
    js: 'ts',
    mjs: 'ts',
    cjs: 'ts',
  }[ending];
  return language ? bracedFacts(source, FUNCTION[language]) : undefined;
}

type Opened = { readonly loop: Loop } | { readonly name: string; readonly start: number };

function bracedFacts(source: string, functionHead: RegExp): FileFacts {
  const facts = new Map<number, LineFacts>();
  /** What each open brace belongs to. */
  const open: (Opened | undefined)[] = [];
  /** Heads without braces, whose body is the next statement. */
  let pending: Loop[] = [];
  for (const [at, raw] of source.split('\n').entries()) {
    const line = withoutTexts(raw);
    const trimmed = line.trim();
    const head = LOOP.exec(trimmed);
    const name = head ? undefined : functionHead.exec(line)?.slice(1).find(Boolean);
    const own = head ? { over: overOf(head[1]) } : undefined;
    const isBraced = trimmed.endsWith('{');
    const around = loopsOf(open);
    const loops = [...around, ...pending, ...(own ? [own] : []), ...streams(trimmed)];
    if (trimmed !== '')
      facts.set(at + 1, {
        function: functionOf(open)?.name ?? name ?? '',
        start: functionOf(open)?.start ?? (name ? at + 1 : 0),
        loops,
        marks: marksOf(raw),
      });
    // Only the last brace of a line is that of its head.
    for (const brace of line.matchAll(/[{}]/g)) {
      if (brace[0] === '}') open.pop();
      else open.push(brace.index === line.lastIndexOf('{') && isBraced ? headOf(own, name, at + 1) : undefined);
    }
    if (own && !isBraced && !/;\s*$/.test(trimmed.replace(/^(?:for|while)\s*\([^)]*\)/, ''))) pending.push(own);
    else if (trimmed !== '' && !own) pending = [];
  }
  return facts;
}

function headOf(loop: Loop | undefined, name: string | undefined, start: number): Opened | undefined {
  if (loop) return { loop };
  return name ? { name, start } : undefined;
}

function loopsOf(open: readonly (Opened | undefined)[]): Loop[] {
  const inner = open.slice(open.findLastIndex((it) => it && 'name' in it) + 1);
  return inner.flatMap((it) => (it && 'loop' in it ? [it.loop] : []));
}

function functionOf(open: readonly (Opened | undefined)[]) {
  const last = open.findLast((it) => it && 'name' in it);
  return last && 'name' in last ? last : undefined;
}

function streams(line: string): Loop[] {
  const match = STREAM.exec(line);
  return match ? [{ over: match[1] }] : [];
}

function pythonFacts(source: string): FileFacts {
  const facts = new Map<number, LineFacts>();
  const open: { readonly indent: number; readonly loop?: Loop; readonly name?: string; readonly start?: number }[] = [];
  for (const [at, raw] of source.split('\n').entries()) {
    if (raw.trim() === '' || raw.trim().startsWith('#')) continue;
    const indent = raw.length - raw.trimStart().length;
    while (open.length > 0 && open.at(-1)!.indent >= indent) open.pop();
    const line = withoutTexts(raw);
    const head = LOOP.exec(line.trim());
    const name = FUNCTION.py.exec(line)?.[1];
    // Comprehensions are loops of their own.
    const inner = [...line.matchAll(/\bfor\s+[\w, ]+\s+in\s+([\w.]+)/g)].map((match) => ({ over: match[1].split('.').pop()! }));
    const since = open.findLastIndex((it) => it.name !== undefined);
    const loops = [...open.slice(since + 1).flatMap((it) => (it.loop ? [it.loop] : [])), ...inner];
    facts.set(at + 1, {
      function: open[since]?.name ?? name ?? '',
      start: open[since]?.start ?? (name ? at + 1 : 0),
      loops,
      marks: marksOf(raw),
    });
    if (head) open.push({ indent, loop: { over: overOf(head[1]) } });
    else if (name) open.push({ indent, name, start: at + 1 });
  }
  return facts;
}

function marksOf(line: string): ReadonlySet<Mark> {
  const code = line.replace(/\/\/.*$|#\s.*$/, '');
  return new Set(MARKED.filter(([, pattern]) => pattern.test(code)).map(([mark]) => mark));
}

/** A line with what stands in quotes and comments left out. */
function withoutTexts(line: string): string {
  return line
    .replace(/"(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*'|`(?:\\.|[^`\\])*`/g, '""')
    .replace(/\/\/.*$|\/\*.*?\*\/|^\s*\*.*$|^\s*\/\*.*$/, '');
}
