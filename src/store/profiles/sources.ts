import { sql } from 'drizzle-orm';
import { fileFacts, type ReadFile } from '../../core/habits/fileFacts.ts';
import { database } from '../database/connection.ts';

/** A source file of a service, in one version. */
export interface SourceFile {
  readonly service: string;
  readonly file: string;
  readonly version: string;
  readonly text: string;
}

/** Files, and characters of all of them, that are held in memory. */
const MOST_FILES = 3_000;
const MOST_TEXT = 32 * 2 ** 20;
/** How long what was read is current. */
const CURRENT_MS = 30_000;

let read: { readonly at: number; readonly files: Promise<SourceFiles> } | undefined;

/** The source files that senders have sent, each version of each as it was sent last. */
export function sourceFiles(): Promise<SourceFiles> {
  if (!read || Date.now() - read.at > CURRENT_MS) {
    const files = load();
    files.catch(() => {
      read = undefined;
    });
    read = { at: Date.now(), files };
  }
  return read.files;
}

async function load(): Promise<SourceFiles> {
  const { rows } = await database().execute(sql`
    WITH latest AS (
      SELECT DISTINCT ON (object_id) name AS file, regexp_replace(part_of, '^deployment ', '') AS service,
        coalesce(detail->>'version', '') AS version, specification AS text, time_ns
      FROM inventory WHERE kind = 'source' ORDER BY object_id, time_ns DESC
    ), counted AS (
      SELECT *, sum(length(text)) OVER (ORDER BY time_ns DESC, service, file, version ROWS UNBOUNDED PRECEDING) AS so_far FROM latest
    )
    SELECT file, service, version, text FROM counted WHERE so_far <= ${MOST_TEXT} ORDER BY so_far LIMIT ${MOST_FILES}`);
  return new SourceFiles(rows as unknown as SourceFile[]);
}

export class SourceFiles {
  readonly #byName = new Map<string, SourceFile[]>();
  readonly #facts = new WeakMap<SourceFile, { readonly read: ReadFile | undefined }>();

  constructor(files: readonly SourceFile[]) {
    for (const it of files) {
      const key = `${it.service}\0${baseOf(it.file)}`;
      this.#byName.set(key, [...(this.#byName.get(key) ?? []), it]);
    }
  }

  /**
   * The source of a file as a frame names it: of the version that ran, else of the latest that there is, which is to be said. A frame may
   * name the file by a longer path, or a shorter one.
   */
  find(service: string, file: string, version: string): SourceFile | undefined {
    const named = (this.#byName.get(`${service}\0${baseOf(file)}`) ?? []).filter((it) => isSameFile(it.file, file));
    return named.find((it) => it.version === version) ?? named.sort((a, b) => (a.version < b.version ? 1 : -1))[0];
  }

  /** What the lines of a file do; undefined where its source in this very version is not known. */
  factsOf(service: string, file: string, version: string): ReadFile | undefined {
    const source = this.find(service, file, version);
    if (!source || (source.version !== version && version !== '')) return undefined;
    let known = this.#facts.get(source);
    if (!known) {
      known = { read: fileFacts(source.text, source.file) };
      this.#facts.set(source, known);
    }
    return known.read;
  }
}

function baseOf(file: string): string {
  return file.slice(file.lastIndexOf('/') + 1);
}

function isSameFile(a: string, b: string): boolean {
  const [short, long] = a.length < b.length ? [a, b] : [b, a];
  return long === short || long.endsWith(`/${short}`);
}
