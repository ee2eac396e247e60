import { type SystemUser, userNamed } from '../life/systemUser.ts';

/**
 * PostgreSQL refuses to run as root: then it runs as the user that Debian's package made for it; else as whoever we are, which is
 * undefined here.
 *
 * @throws Error when root and there is no such user
 */
export function serverOwner(): SystemUser | undefined {
  if (process.getuid?.() !== 0) return undefined;
  const user = userNamed('postgres');
  if (!user)
    throw new Error('PostgreSQL does not run as root and there is no user "postgres"; install Debian\'s package postgresql.');
  return user;
}
