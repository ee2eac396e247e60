import { type StatementLabel, statementLabel } from '../../core/database/statementLabel.ts';
import { loadParser, readStatement } from '../../formats/database/fingerprint.ts';
import { statementTexts } from './statementTexts.ts';

/** A statement as pages name it. */
export interface NamedStatement extends StatementLabel {
  /** Values left out; empty when nobody has sent it. */
  readonly text: string;
  /** Its tables, the first the one that it is about. */
  readonly tables: readonly string[];
}

let parser: Promise<void> | undefined;

/** To be awaited before statements are read. */
export function withParser(): Promise<void> {
  parser ??= loadParser();
  return parser;
}

/** What some statements are called and about, by id. One whose text nobody has sent is called by its id. */
export async function namedStatements(ids: Iterable<string>): Promise<Map<string, NamedStatement>> {
  const wanted = [...new Set(ids)].filter((id) => id !== '');
  const texts = await statementTexts(wanted);
  await withParser();
  return new Map(
    wanted.map((id) => {
      const text = texts.get(id) ?? '';
      if (text === '') return [id, { name: `statement ${id}`, detail: '', text, tables: [] }];
      const tables = readStatement(text)?.tables ?? [];
      return [id, { ...statementLabel(text, tables), text, tables }];
    }),
  );
}
