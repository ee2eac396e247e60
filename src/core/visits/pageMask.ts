/*
 * What is personal is taken out in the page, before anything is kept: what was typed is never read at all, addresses lose their query,
 * what looks like a mail address, a number of a person or a secret is replaced.
 */

const MASK = '•••';

const MAIL = /[\w.+-]{1,64}@[\w-]{1,64}(\.[\w-]{1,64}){1,4}/g;

const PATTERNS: readonly RegExp[] = [
  MAIL,
  // Tokens: long runs without a space that mix letters and digits.
  /\b(?=[\w-]*\d)(?=[\w-]*[a-z])[\w-]{20,}\b/gi,
  // Bank accounts.
  /\b[A-Z]{2}\d{2}(?: ?[\dA-Z]{4}){3,7}\b/g,
  // Numbers of cards, telephones, accounts: five digits and more, however they are grouped.
  /\+?\d(?:[ ().\-/]{0,2}\d){4,}/g,
];

/** How much was masked since it was asked last. */
let masked = 0;

export function takeMasked(): number {
  const count = masked;
  masked = 0;
  return count;
}

/** A text without what is personal, at most so long. */
export function maskText(text: string, most = 200): string {
  let found = text.slice(0, 4 * most);
  for (const pattern of PATTERNS)
    found = found.replace(pattern, () => {
      masked++;
      return MASK;
    });
  return found.slice(0, most);
}

/** A name that the page gave on purpose: only mail addresses are taken out, since ids are what it is for. */
export function maskMail(text: string, most: number): string {
  return text.slice(0, most).replace(MAIL, MASK);
}

const IDENTIFIER = /^(?:\d{3,}|[\da-f]{8,}|[\da-f]{8}-[\da-f-]{27}|.*@.*|(?=.*\d)(?=.*[a-z])[\w-]{16,}|[A-Z]{1,4}[\dA-F]{5,})$/i;

/** The path of an address without query and fragment, parts that name one thing replaced by `{id}`, so that pages of one kind are one page. */
export function maskPath(path: string): string {
  return path
    .split(/[?#]/, 1)[0]
    .split('/')
    .map((part) => (IDENTIFIER.test(decoded(part)) ? '{id}' : maskText(decoded(part), 80)))
    .join('/')
    .slice(0, 200);
}

/** An address without query and fragment, its path masked. @param base what it may be relative to */
export function maskUrl(url: string, base?: string): string {
  try {
    const { protocol, origin, pathname } = new URL(url, base);
    return /^https?:$/.test(protocol) ? `${origin}${maskPath(pathname)}` : protocol;
  } catch {
    return '';
  }
}

/** A stack with its addresses masked, and mail addresses in its message: what else stands in it are names of functions and positions. */
export function maskStack(stack: string): string {
  const [first = '', ...rest] = stack.split('\n');
  // The first line has the message, where it is no frame already.
  const head = /^\s*at |@|https?:/.test(first) ? first : maskText(first, 300);
  return maskStackAddresses([maskMail(head, 300), ...rest].join('\n'))
    .split('\n')
    .slice(0, 30)
    .map((line) => line.trim().slice(0, 300))
    .join('\n')
    .slice(0, 4_000);
}

/** Names of files stay, since source maps are found by them; parts that name one thing do not. */
function maskStackAddresses(stack: string): string {
  return stack.replace(/(https?:\/\/[^\s/()]+)([^\s()]*?)(?=:\d+(?::\d+)?|[\s()]|$)/g, (_, origin: string, path: string) => {
    const [plain] = path.split(/[?#]/);
    const parts = plain.split('/').map((part) => (IDENTIFIER.test(decoded(part)) ? '{id}' : part));
    return `${origin}${parts.join('/')}`;
  });
}

function decoded(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}
