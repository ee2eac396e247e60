import { readFileSync, statSync } from 'node:fs';
import { dirname, relative, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { LEAST_UPPER_BOUND, originalPositionFor, TraceMap } from '@jridgewell/trace-mapping';
import type { Frame } from '../../src/core/profile/stackSample.ts';

/** A source file of the program. */
export interface Source {
  readonly file: string;
  readonly text: string;
}

/** Files whose maps are held, and bytes of one that is read. */
const MOST_FILES = 500;
const LARGEST = 2 * 2 ** 20;
/** Characters of a text that is held to be sent, and of all maps together. */
const LARGEST_SENT = 200_000;
const MOST_MAPS = 32 * 2 ** 20;

interface KnownScript {
  /** As frames name it. */
  readonly file: string;
  readonly map: TraceMap | undefined;
}

/** Says where in the sources of the program a place of what runs is: by source maps, in files named from a folder. */
export class Places {
  readonly #root: string;
  readonly #scripts = new Map<string, KnownScript | undefined>();
  /** In which map the text of an original source is, and where in it. */
  readonly #originals = new Map<string, { readonly map: TraceMap; readonly at: number }>();
  #mapsRead = 0;

  constructor(root: string) {
    this.#root = root;
  }

  /** @param column from 0; undefined when only the line is known */
  frame(name: string, url: string, line: number, column?: number): Frame {
    const shown = name || '(anonymous)';
    if (url === '') return { name: shown, file: '', line: 0 };
    if (url.startsWith('node:')) return { name: shown, file: url, line };
    const script = this.#script(url);
    if (!script) return { name: shown, file: this.#nameOf(url), line };
    if (script.map) {
      const found = originalPositionFor(script.map, {
        line,
        column: column ?? 0,
        ...(column === undefined ? { bias: LEAST_UPPER_BOUND } : {}),
      });
      if (found.source) {
        const file = this.#nameOf(resolve(dirname(pathOf(url)), found.source));
        if (!this.#originals.has(file))
          this.#originals.set(file, { map: script.map, at: script.map.sources.indexOf(found.source) });
        return { name: found.name ?? shown, file, line: found.line ?? line };
      }
    }
    return { name: shown, file: script.file, line };
  }

  /** The source of a file that frames name; undefined where it is too large or cannot be read. */
  source(file: string): Source | undefined {
    const original = this.#originals.get(file);
    const known = original?.map.sourcesContent?.[original.at] ?? readText(resolve(this.#root, file));
    return known !== undefined && known.length <= LARGEST_SENT ? { file, text: known } : undefined;
  }

  #script(url: string): KnownScript | undefined {
    if (this.#scripts.has(url)) return this.#scripts.get(url);
    if (this.#scripts.size >= MOST_FILES) return undefined;
    const path = pathOf(url);
    const text = readText(path);
    const json = text !== undefined && this.#mapsRead < MOST_MAPS ? mapText(text, path) : undefined;
    this.#mapsRead += json?.length ?? 0;
    const script =
      text === undefined ? undefined : { file: this.#nameOf(url), map: json === undefined ? undefined : mapOf(json) };
    this.#scripts.set(url, script);
    return script;
  }

  #nameOf(url: string): string {
    const path = relative(this.#root, pathOf(url));
    return path.startsWith('..') ? pathOf(url) : path;
  }
}

function pathOf(url: string): string {
  return url.startsWith('file://') ? fileURLToPath(url) : url;
}

function readText(path: string): string | undefined {
  try {
    return statSync(path).size <= LARGEST ? readFileSync(path, 'utf8') : undefined;
  } catch {
    return undefined;
  }
}

/** The source map that a file names or holds, as JSON. */
function mapText(text: string, path: string): string | undefined {
  const match = [...text.matchAll(/^\/\/[#@] sourceMappingURL=(\S+)\s*$/gm)].at(-1);
  if (!match) return undefined;
  const inline = /^data:application\/json[^,]*;base64,(.+)$/.exec(match[1]);
  return inline ? Buffer.from(inline[1], 'base64').toString('utf8') : readText(resolve(dirname(path), match[1]));
}

function mapOf(json: string): TraceMap | undefined {
  try {
    return new TraceMap(json);
  } catch {
    return undefined;
  }
}
