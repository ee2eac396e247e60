import { builtInPattern, type FitFinder, fitsStars, LONGEST_PATTERN, ownPattern } from './pattern.ts';
import type { Sign } from './signs.ts';
import { withoutLiterals } from './sqlLiterals.ts';

/** A rule by which personal or secret things are taken out before anything is stored. */
export type MaskRule = {
  /** Stands in the place of what was masked: `[masked: name]`. */
  readonly name: string;
  readonly on: boolean;
} & (
  | {
      /** The whole value of an attribute whose key fits; `*` matches anything, capitals do not count. */
      readonly kind: 'key';
      readonly pattern: string;
    }
  | {
      /** The parts of any text that fit a regular expression. With a group named `secret`, that group alone. */
      readonly kind: 'value';
      readonly pattern: string;
      /** Fits count only when their digits pass the check of payment cards. */
      readonly luhn?: boolean;
    }
  | {
      /** Texts and numbers written into SQL statements. */
      readonly kind: 'sql';
    }
);

/** Keys whose values are secret as a whole: what they end with, or have in them. */
const SECRET_KEYS = [
  '*password*',
  '*passwd*',
  '*passphrase*',
  '*secret*',
  '*credential*',
  '*private_key*',
  '*private-key*',
  '*authorization',
  '*cookie',
  '*api_key',
  '*api-key',
  '*apikey',
  '*token',
];

/** What is secret or personal within texts, each with what a text must have to hold one. */
const IN_TEXTS: readonly { readonly rule: MaskRule & { readonly kind: 'value' }; readonly signs: readonly Sign[] }[] = [
  {
    rule: {
      name: 'token',
      on: true,
      kind: 'value',
      // Of an address, between the name and the @.
      pattern: '\\b[a-z][a-z\\d+.-]{1,30}://[^\\s:/?#@"\']{0,200}:(?<secret>[^\\s/?#@"\']{1,200})@',
    },
    signs: [{ kind: 'literal', text: '://' }],
  },
  {
    rule: {
      name: 'mail address',
      on: true,
      kind: 'value',
      pattern: '[\\w.+-]{1,64}@[a-z\\d-]{1,63}(?:\\.[a-z\\d-]{1,63}){0,4}\\.[a-z]{2,24}',
    },
    signs: [{ kind: 'mail' }],
  },
  {
    rule: {
      name: 'card number',
      on: true,
      kind: 'value',
      pattern: '(?<![\\w.-])[3-6]\\d(?:[ -]?\\d){12,15}(?![\\w.-])',
      luhn: true,
    },
    signs: [{ kind: 'digits' }],
  },
  {
    rule: {
      name: 'token',
      on: true,
      kind: 'value',
      pattern:
        '[?&](?:access_token|refresh_token|id_token|token|api_?key|key|sig|signature|passw(?:or)?d|auth|code|secret)=(?<secret>[^&#\\s"]+)',
    },
    signs: [{ kind: 'parameter' }],
  },
  {
    rule: { name: 'token', on: true, kind: 'value', pattern: '\\bbearer\\s+(?<secret>[\\w.~+/-]{8,}=*)' },
    signs: [{ kind: 'literal', text: 'bearer' }],
  },
  {
    rule: {
      name: 'token',
      on: true,
      kind: 'value',
      // Behind `basic` stand words as well; what is encoded has a digit or ends with =.
      pattern: '\\bbasic\\s+(?<secret>(?=[a-z+/]*[\\d=])[a-z\\d+/]{8,}={0,2})',
    },
    signs: [{ kind: 'literal', text: 'basic' }],
  },
  {
    rule: { name: 'token', on: true, kind: 'value', pattern: '\\beyJ[\\w-]{8,}\\.[\\w-]{8,}\\.[\\w-]*' },
    signs: [{ kind: 'literal', text: 'eyJ' }],
  },
  {
    rule: {
      name: 'secret',
      on: true,
      kind: 'value',
      // In JSON, behind = and behind a colon; also where the quotes are escaped.
      pattern:
        '(?:passw(?:or)?d|passphrase|pwd)\\\\?["\']?\\s{0,3}[:=]\\s{0,3}\\\\?["\']?(?<secret>(?<=["\'])[^"\'\\\\]+|[^\\s"\'&,;}\\\\]{3,})',
    },
    signs: [
      { kind: 'literal', text: 'passw' },
      { kind: 'literal', text: 'passphrase' },
      { kind: 'literal', text: 'pwd' },
    ],
  },
  {
    rule: {
      name: 'secret',
      on: true,
      kind: 'value',
      // Words that texts are about as well ("unexpected token: x") count where they name a value beyond doubt.
      pattern:
        '(?:secret|token|api[_-]?key|private[_-]?key)(?:\\\\?["\']\\s{0,3}:\\s{0,3}\\\\?["\']|=["\']?)(?<secret>(?<=["\'])[^"\'\\\\]{6,}|[^\\s"\'&,;}\\\\]{6,})',
    },
    signs: [
      { kind: 'literal', text: 'secret' },
      { kind: 'literal', text: 'token' },
      { kind: 'literal', text: 'api_key' },
      { kind: 'literal', text: 'api-key' },
      { kind: 'literal', text: 'apikey' },
      { kind: 'literal', text: 'private' },
    ],
  },
];

/** On from the beginning, but for the last. */
export const DEFAULT_RULES: readonly MaskRule[] = [
  ...SECRET_KEYS.map((pattern): MaskRule => ({ name: 'secret', on: true, kind: 'key', pattern })),
  ...IN_TEXTS.map(({ rule }) => rule),
  { name: 'SQL literal', on: false, kind: 'sql' },
];

/** Called for each value that is masked: by which rule, under which key, the text before and after. */
export type OnMask = (rule: string, key: string, before: string, after: string) => void;

/** Milliseconds that patterns somebody wrote may take of one request. */
const MOST_MS = 5_000;
/** Characters of a text that such a pattern is looked for in; a longer one goes as a whole, since nobody knows what is in it. */
const LONGEST_TEXT = 256 * 1024;

/** A pattern took too long over one request. */
export class SlowPattern extends Error {
  constructor(rule: string) {
    super(
      `the pattern of the masking rule "${rule}" takes over ${MOST_MS / 1000} s for one request; make it simpler, or the request smaller`,
    );
  }
}

/** Rules made ready to be applied many times. */
export interface Masker {
  /** Bytes of UTF-8 that have none of these hold nothing to be masked. */
  readonly signs: readonly Sign[];
  /** To be called when a request begins: what its patterns take is counted from then on. */
  readonly begin: () => void;
  /** What stands in the place of the value of an attribute with this key; null when it may stay. */
  readonly ofKey: (key: string) => { rule: string; text: string } | null;
  /** A text without what is to be masked; the same text when there is nothing. @throws SlowPattern when this request has taken too long */
  readonly ofText: (key: string, text: string, onMask?: OnMask) => string;
}

/** Attributes that hold SQL statements, by their present and former names. */
const SQL_KEYS = new Set(['db.query.text', 'db.statement']);

/** Makes rules ready. Those that are off are left out. @throws Error naming the rule whose pattern is none */
export function masker(rules: readonly MaskRule[]): Masker {
  const keys: { name: string; fits: (key: string) => boolean }[] = [];
  const values: ValueRule[] = [];
  const signs: Sign[] = [];
  let sql: string | undefined;
  for (const rule of rules) {
    if (!rule.on) continue;
    if (rule.kind === 'sql') {
      sql = rule.name;
      for (const key of SQL_KEYS) signs.push({ kind: 'literal', text: key });
      continue;
    }
    if (rule.pattern.length > LONGEST_PATTERN)
      throw new Error(`${rule.name}: the pattern is longer than ${LONGEST_PATTERN} characters`);
    if (rule.kind === 'key') {
      keys.push({ name: rule.name, fits: fitsStars(rule.pattern) });
      signs.push(literalSign(longest(rule.pattern.split('*'))));
    } else {
      try {
        const isOwn = !SIGNS.has(rule.pattern);
        const find = isOwn ? ownPattern(rule.pattern) : builtInPattern(rule.pattern);
        values.push({ name: rule.name, find, isOwn, luhn: rule.luhn ?? false });
      } catch (error) {
        throw new Error(`${rule.name}: ${(error as Error).message}`);
      }
      signs.push(...signsOf(rule.pattern));
    }
  }
  let spentMs = 0;
  const withoutOwn = (text: string, rule: ValueRule) => {
    if (text.length > LONGEST_TEXT) return mark(rule.name);
    const began = performance.now();
    const after = withoutFits(text, rule);
    spentMs += performance.now() - began;
    if (spentMs > MOST_MS) throw new SlowPattern(rule.name);
    return after;
  };
  return {
    signs,
    begin: () => {
      spentMs = 0;
    },
    ofKey: (key) => {
      const hit = keys.find(({ fits }) => fits(key));
      return hit ? { rule: hit.name, text: mark(hit.name) } : null;
    },
    ofText: (key, text, onMask) => {
      let masked = text;
      const apply = (rule: string, after: string) => {
        if (after === masked) return;
        onMask?.(rule, key, masked, after);
        masked = after;
      };
      if (sql !== undefined && SQL_KEYS.has(key)) apply(sql, withoutLiterals(masked));
      for (const rule of values) apply(rule.name, rule.isOwn ? withoutOwn(masked, rule) : withoutFits(masked, rule));
      return masked;
    },
  };
}

interface ValueRule {
  readonly name: string;
  readonly find: FitFinder;
  /** Whether somebody wrote it. */
  readonly isOwn: boolean;
  readonly luhn: boolean;
}

/** A text with what fits left out, or of it the secret. */
function withoutFits(text: string, { find, name, luhn }: ValueRule): string {
  const next = find(text);
  let written = '';
  let kept = 0;
  for (let fit = next(0); fit; fit = next(fit.end > fit.start ? fit.end : fit.end + 1)) {
    const { start, end } = fit.secret ?? fit;
    // A secret that is masked already stays as it is.
    if (fit.secret && text.startsWith('[masked', start)) continue;
    if (luhn && !passesLuhn(text.slice(fit.start, fit.end))) continue;
    written += text.slice(kept, start) + mark(name);
    kept = end;
  }
  return kept === 0 && written === '' ? text : written + text.slice(kept);
}

function mark(name: string): string {
  return `[masked: ${name}]`;
}

function longest(parts: readonly string[]): string {
  return parts.reduce((best, part) => (part.length > best.length ? part : best), '');
}

/** A text as a part of a regular expression that fits it alone. */
export function escaped(text: string): string {
  return text.replace(/[\\^$.|?*+()[\]{}]/g, '\\$&');
}

/** A literal of ASCII is found whatever its capitals; with other letters, every text is worth a look. */
function literalSign(text: string): Sign {
  return /^[\x20-\x7e]+$/.test(text) ? { kind: 'literal', text } : { kind: 'any' };
}

/** What a text must have to fit a pattern. Those that come with the application have quick signs; for any other nothing can be said. */
function signsOf(pattern: string): readonly Sign[] {
  return SIGNS.get(pattern) ?? [{ kind: 'any' }];
}

const SIGNS: ReadonlyMap<string, readonly Sign[]> = new Map(IN_TEXTS.map(({ rule, signs }) => [rule.pattern, signs]));

/** The check digit of payment cards (ISO/IEC 7812-1). */
export function passesLuhn(text: string): boolean {
  const digits = [...text].filter((char) => char >= '0' && char <= '9').map(Number);
  const sum = digits.reverse().reduce((total, digit, at) => {
    const weighed = at % 2 === 1 ? 2 * digit : digit;
    return total + (weighed > 9 ? weighed - 9 : weighed);
  }, 0);
  return digits.length >= 14 && sum % 10 === 0;
}
