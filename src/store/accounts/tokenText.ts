import { createHash, randomBytes } from 'node:crypto';

/** Kinds of tokens, by how they begin, so that one that leaked is known for what it is wherever it turns up. */
const BEGINNINGS = { sender: 'dls_', program: 'dlp_', invitation: 'dli_' } as const;
/** Of the beginning and what follows it: tells tokens apart without giving one away. */
const SHOWN = 10;

/** A new token: 256 random bits. It is shown once; what is kept is its hash, and how it begins. */
export function newToken(kind: keyof typeof BEGINNINGS): { token: string; tokenHash: string; prefix: string } {
  const token = BEGINNINGS[kind] + randomBytes(32).toString('base64url');
  return { token, tokenHash: hashOf(token), prefix: token.slice(0, SHOWN) };
}

/** Whether a text has the form of a token. */
export function isToken(kind: keyof typeof BEGINNINGS, text: string): boolean {
  return text.startsWith(BEGINNINGS[kind]) && text.length === BEGINNINGS[kind].length + 43;
}

/** What is kept of a token. A plain hash is enough for what nobody can guess. */
export function hashOf(token: string): string {
  return createHash('sha256').update(token).digest('base64url');
}
