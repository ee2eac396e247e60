/** What a person, or a program, may do, each with all that is before it. */
export const ROLES = ['reader', 'responder', 'administrator'] as const;
export type Role = (typeof ROLES)[number];

/** The least that one has to be to ask an endpoint. A sender has no role: it only writes telemetry, by a token of its own. */
export const LEAST = ['anyone', 'sender', ...ROLES] as const;
export type Least = (typeof LEAST)[number];

/** By environment, the role that somebody has there in the place of their general one. */
export type EnvironmentRoles = Readonly<Record<string, Role>>;

/** Somebody's roles. */
export interface Roles {
  readonly role: Role;
  readonly environments: EnvironmentRoles;
}

/** The role that somebody has in an environment. @param environment empty where something is of none */
export function roleIn({ role, environments }: Roles, environment: string): Role {
  return environment !== '' && Object.hasOwn(environments, environment) ? environments[environment] : role;
}

/** Whether somebody may do what asks for `least` in one environment at least. */
export function isAtLeastSomewhere({ role, environments }: Roles, least: Least): boolean {
  return [role, ...Object.values(environments)].some((it) => isAtLeast(it, least));
}

/** The lesser of two roles. */
export function lesser(one: Role, other: Role): Role {
  return isAtLeast(one, other) ? other : one;
}

/** What a role is for, in the words that are shown beside it. */
export const ROLE_WORDS: Readonly<Record<Role, string>> = {
  reader: 'looks and asks',
  responder:
    'also keeps cases, mutes, names journeys, decides on message shapes and measures of lines, asks processes for stacks, tries statements',
  administrator: 'also decides on people, tokens, masking, rules, webhooks and sites',
};

/** Whether somebody of a role may do what asks for `least`; undefined is somebody who is not signed in. */
export function isAtLeast(role: Role | undefined, least: Least): boolean {
  if (least === 'anyone') return true;
  if (role === undefined || least === 'sender') return false;
  return ROLES.indexOf(role) >= ROLES.indexOf(least);
}
