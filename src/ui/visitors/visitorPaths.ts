/** What the pages about visitors have in common: the application, and which of its visitors. */
export interface VisitorChoice {
  readonly app: string;
  /** See `conditionsText`. */
  readonly who: string;
}

const PAGES = [
  ['/visitors', 'Pages'],
  ['/visitors/visits', 'Visits'],
  ['/visitors/steps', 'Steps'],
  ['/visitors/versions', 'Versions'],
  ['/visitors/parties', 'Third parties'],
  ['/visitors/checks', 'Checks'],
  ['/visitors/sites', 'Sites'],
] as const;
export type VisitorPage = (typeof PAGES)[number][0];

/** The address of a page about visitors, with the narrowing kept. @param more parameters of that page */
export function visitorPath(
  page: VisitorPage | `/visitors/visits/${string}`,
  { app, who }: VisitorChoice,
  more: Readonly<Record<string, string>> = {},
): string {
  const parameters = new URLSearchParams({ ...(app && { app }), ...(who && { who }), ...more });
  return parameters.size === 0 ? page : `${page}?${parameters}`;
}

/** The pages that stand beside each other, each with the present narrowing. */
export function visitorTabs(choice: VisitorChoice): (readonly [path: string, name: string])[] {
  return PAGES.map(([path, name]) => [visitorPath(path, choice), name]);
}

/** One visit. */
export function visitPath(session: string, choice: VisitorChoice = { app: '', who: '' }): string {
  return visitorPath(`/visitors/visits/${encodeURIComponent(session)}`, choice);
}
