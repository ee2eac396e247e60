/** What of the lines is looked at, from another page. */
export interface LogsLink {
  /** Ranges of severity, separated by commas. */
  readonly severity?: string;
  /** What is looked for in their text. */
  readonly text?: string;
  readonly as?: 'shapes' | 'lines';
}

/** The address of lines. @param href the one that keeps the scope */
export function logsPath(href: (path: string) => string, link: LogsLink = {}): string {
  const parameters = new URLSearchParams();
  for (const [name, value] of Object.entries(link)) if (value) parameters.set(name, value);
  return `${href('/logs')}${parameters.size > 0 ? `&${parameters}` : ''}`;
}

/** The pages of the logs. */
export const LOG_PAGES = [
  ['/logs', 'Lines'],
  ['/logs/stitched', 'Stitched'],
] as const;
