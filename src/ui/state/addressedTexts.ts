/* Several texts in one parameter of an address: what stands between them is escaped within them, the rest can be read by people. */

type Separator = ',' | '|';

/** @returns undefined for none, as options are written that are as usual */
export function writeTexts(texts: readonly string[], separator: Separator = ','): string | undefined {
  const written = texts.map((it) => it.replaceAll('%', '%25').replaceAll(separator, encodeURIComponent(separator)));
  return texts.length > 0 ? written.join(separator) : undefined;
}

/** Reads what `writeTexts` wrote; a text that is broken stays as it stands, an empty one is none. */
export function readTexts(text: string | null, separator: Separator = ','): string[] {
  return (text ?? '')
    .split(separator)
    .filter((it) => it !== '')
    .map((it) => {
      try {
        return decodeURIComponent(it);
      } catch {
        return it;
      }
    });
}

/** A moment of an address, epoch milliseconds; undefined where there is none. */
export function readMoment(text: string | null): number | undefined {
  const at = Number(text || Number.NaN);
  return Number.isFinite(at) ? at : undefined;
}
