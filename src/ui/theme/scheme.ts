/** Dusk is dark, paper is light. */
export type Scheme = 'dusk' | 'paper';

export const SCHEME_COOKIE = 'scheme';

export function readScheme(text: string | undefined): Scheme {
  return text === 'paper' ? 'paper' : 'dusk';
}

/** Shows a scheme at once and remembers it, so that the server draws the next page in it. */
export function applyScheme(scheme: Scheme): void {
  document.documentElement.dataset.scheme = scheme;
  // biome-ignore lint/suspicious/noDocumentCookie: the Cookie Store interface is not in every browser
  document.cookie = `${SCHEME_COOKIE}=${scheme}; path=/; max-age=31536000; samesite=lax`;
}
