import { invite } from '../../store/accounts/invitations.ts';

const A_DAY_MS = 86_400_000;
/** The path of a link by which somebody becomes an administrator: for the first, and for when none is left who can come in. */
export async function administratorLink(): Promise<string> {
  // For no address in particular: who can start the application may come in. It takes the place of an earlier one.
  return `/join/${await invite({ email: '', role: 'administrator', userId: null, by: 'the command line' }, A_DAY_MS)}`;
}
