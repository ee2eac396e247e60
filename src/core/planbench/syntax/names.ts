/** A name as SQL writes it: in quotes where it needs them. */
export function quoted(name: string): string {
  return /^[a-z_][a-z0-9_$]*$/.test(name) && !KEYWORDS.has(name) ? name : `"${name.replaceAll('"', '""')}"`;
}

const KEYWORDS = new Set(
  'all analyse analyze and any array as asc both case cast check collate column constraint create current_date current_role current_time current_user default desc distinct do else end except false fetch for foreign from grant group having in initially intersect into lateral leading limit localtime not null offset on only or order placing primary references returning select session_user some symmetric table then to trailing true union unique user using variadic when where window with'.split(
    ' ',
  ),
);

/** The name of a relation as a statement writes it, with its schema or without, as `to_regclass` reads it. */
export function relationPath(name: string): string {
  return name
    .split('.')
    .map((it) => `"${it.replaceAll('"', '""')}"`)
    .join('.');
}
