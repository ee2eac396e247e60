/** The page of a database server. */
export function databasePath(server: string): string {
  return `/databases/${encodeURIComponent(server)}`;
}

/** The page of a statement of a server. */
export function statementPath(server: string, statementId: string): string {
  return `${databasePath(server)}/statements/${encodeURIComponent(statementId)}`;
}
