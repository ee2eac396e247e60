/** A statement in a few words: what it does to which table, and what tells it apart from others that do the same. */
export interface StatementLabel {
  /** "UPDATE booking" */
  readonly name: string;
  /** "sailing_id, value, revision"; empty when there is nothing to say. */
  readonly detail: string;
}

const LONGEST_DETAIL = 60;

/** @param tables of the statement, the first the one that it is about */
export function statementLabel(text: string, tables: readonly string[] = []): StatementLabel {
  const plain = text
    .replace(/\/\*.*?\*\//gs, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  const verb = /^\(*\s*([a-z]+)/i.exec(plain)?.[1].toUpperCase() ?? '';
  if (verb === '') return { name: 'unknown statement', detail: '' };
  const table = tables[0] ?? tableIn(plain);
  return { name: table ? `${verb} ${table}` : verb, detail: shortened(detailOf(verb, plain)) };
}

function tableIn(text: string): string | undefined {
  return /\b(?:FROM|INTO|UPDATE|JOIN)\s+(?:ONLY\s+)?"?([\w.]+)"?/i.exec(text)?.[1];
}

function detailOf(verb: string, text: string): string {
  if (verb === 'UPDATE') {
    const set = /\bSET (.+?)(?: WHERE | FROM | RETURNING |$)/i.exec(text)?.[1] ?? '';
    return [...set.matchAll(/(?:^|,\s*)"?(\w+)"?\s*=/g)].map((found) => found[1]).join(', ');
  }
  if (verb === 'SELECT') return /^SELECT (?:DISTINCT )?(.+?) FROM /i.exec(text)?.[1] ?? '';
  if (verb === 'INSERT') return /\(([^)]*)\)/.exec(text)?.[1] ?? '';
  if (verb === 'DELETE') return /\bWHERE (.+)$/i.exec(text)?.[1] ?? '';
  return text.slice(verb.length).trim();
}

function shortened(text: string): string {
  return text.length <= LONGEST_DETAIL ? text : `${text.slice(0, LONGEST_DETAIL - 1).trimEnd()}…`;
}
