/** The pages of code that stand beside each other. */
export const CODE_TABS = [
  ['/code', 'In flight'],
  ['/code/profile', 'Profile'],
  ['/code/findings', 'Findings'],
] as const;

/** The profile of a service. @param about what else of it is meant, such as its version or a function as `name|file` */
export function profilePath(service: string, about: Readonly<Record<string, string | undefined>> = {}): string {
  const parameters = new URLSearchParams({ service });
  for (const [name, value] of Object.entries(about)) if (value) parameters.set(name, value);
  return `/code/profile?${parameters}`;
}

/** A running request. */
export function runningPath(traceId: string, service = '', instance = ''): string {
  const parameters = new URLSearchParams({ request: traceId });
  if (service) parameters.set('of', service);
  if (instance) parameters.set('instance', instance);
  return `/code?${parameters}`;
}

/** A finding among all. */
export function findingPath(key: string): string {
  return `/code/findings?${new URLSearchParams({ finding: key })}`;
}
