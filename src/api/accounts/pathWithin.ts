const USUAL = '/now';

/** The page to go to after signing in: one of this application, whatever the address says. */
export function pathWithin(to: string): string {
  // A browser takes a backslash for a slash, drops tabs and line ends, and takes two slashes for another host.
  if (!/^\/(?![/\\])[^\s\\]*$/.test(to) || [...to].some((it) => it < ' ')) return USUAL;
  try {
    const url = new URL(to, 'http://here.invalid');
    if (url.host !== 'here.invalid' || /^\/\/|^\/(sign-in|join|api|v1)/.test(url.pathname)) return USUAL;
    return url.pathname + url.search + url.hash;
  } catch {
    return USUAL;
  }
}
