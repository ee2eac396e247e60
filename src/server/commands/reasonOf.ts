/**
 * Why a command could not go on, in a line. Of a statement that failed the text of it says nothing to who started the command: what the database said,
 * or that it did not answer.
 */
export function reasonOf(error: Error): string {
  let root = error;
  while (root.cause instanceof Error) root = root.cause;
  if (root === error) return error.message;
  const code = 'code' in root ? root.code : undefined;
  return code === 'ECONNREFUSED' || code === 'ENOTFOUND' || code === 'ETIMEDOUT'
    ? `the database does not answer: ${root.message || String(code)}`
    : `the database says: ${root.message}`;
}
