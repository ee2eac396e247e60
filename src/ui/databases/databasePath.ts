/** The page of a database server. */
export function databasePath(server: string): string {
  return `/databases/${encodeURIComponent(server)}`;
}

/** The page of a statement of a server. */
export function statementPath(server: string, statementId: string): string {
  return `${databasePath(server)}/statements/${encodeURIComponent(statementId)}`;
}

/** The plan bench with a statement to try. @param text as it ran, where its id is not known */
export function benchPath(server: string, statement: { readonly id: string } | { readonly text: string }): string {
  const what = 'id' in statement ? `statement=${encodeURIComponent(statement.id)}` : `sql=${encodeURIComponent(statement.text)}`;
  return `/databases/bench?of=${encodeURIComponent(server)}&${what}`;
}

/** What a trial found. */
export function trialPath(id: string): string {
  return `/databases/bench/${encodeURIComponent(id)}`;
}
