import type { Frame } from './stackSample.ts';

/** Frames in one line each, as the runtimes print them and as probes send them. */
const PRINTED: readonly (readonly [pattern: RegExp, read: (match: RegExpExecArray) => Frame])[] = [
  // Node.js: `    at async name (file:///app/src/a.js:10:5)`, `    at file:10:5`
  [/^\s+at (?:async )?(?:new )?(.+?) \((.+?):(\d+):\d+\)$/, ([, name, file, line]) => ({ name, file, line: Number(line) })],
  [/^\s+at (?:async )?(\S+):(\d+):\d+$/, ([, file, line]) => ({ name: '(anonymous)', file, line: Number(line) })],
  // The JVM: `\tat reach.Store.change(Store.java:88)`
  [/^\s+at ([\w.$<>/]+)\(([\w.$]+):(\d+)\)$/, ([, name, file, line]) => ({ name, file: pathOf(name, file), line: Number(line) })],
  [
    /^\s+at ([\w.$<>/]+)\((?:Native Method|Unknown Source)\)$/,
    ([, name]) => ({ name, file: pathOf(name, 'Unknown.java'), line: 0 }),
  ],
  // Python: `  File "/app/a.py", line 12, in name`
  [/^\s*File "(.+)", line (\d+), in (.+)$/, ([, file, line, name]) => ({ name, file, line: Number(line) })],
  // As probes send them: `name file:line`
  [/^(\S.*?) (\S+):(\d+)$/, ([, name, file, line]) => ({ name, file, line: Number(line) })],
  [/^(\(.+\)) :0$/, ([, name]) => ({ name, file: '', line: 0 })],
];

/**
 * The frames of a stack as it is printed, the innermost first. Lines that are no frame are left out.
 */
export function readStackText(text: string): Frame[] {
  const lines = text.split('\n');
  const frames: Frame[] = [];
  for (const [at, line] of lines.entries()) {
    // Go: the function in one line, the file in the next.
    const go = /^\s+(\S+\.(?:go|s)):(\d+)/.exec(lines[at + 1] ?? '');
    if (go && /^\S.*\)$/.test(line)) {
      frames.push({ name: line.replace(/\([^()]*\)$/, ''), file: go[1], line: Number(go[2]) });
      continue;
    }
    if (/^\s+\S+\.(?:go|s):\d+/.test(line)) continue;
    for (const [pattern, read] of PRINTED) {
      const match = pattern.exec(line);
      if (!match) continue;
      frames.push(read(match));
      break;
    }
  }
  // Python prints the innermost last.
  return /^Traceback \(most recent call last\)/m.test(text) ? frames.reverse() : frames;
}

/** The JVM prints the file without its folders, which are those of the package. */
function pathOf(name: string, file: string): string {
  const packages = name.split('.').slice(0, -2);
  return [...packages, file].join('/');
}
