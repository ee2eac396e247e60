import type { Attributes } from '../trace/span.ts';

/** The attribute of a resource that says of which environment it is, and how it was called before. */
export const ENVIRONMENT = 'deployment.environment.name';
export const FORMER_ENVIRONMENT = 'deployment.environment';

/** What is of more environments than can be told. */
export const ANY_ENVIRONMENT = '*';

/** The environment of a resource; empty when it does not say. */
export function environmentOf(resource: Attributes): string {
  const said = Object.hasOwn(resource, ENVIRONMENT) ? resource[ENVIRONMENT] : resource[FORMER_ENVIRONMENT];
  return typeof said === 'string' ? said : '';
}
