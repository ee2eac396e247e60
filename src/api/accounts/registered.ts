import type { Least } from '../../core/accounts/role.ts';
import { audit, exportAudit } from './audit.ts';
import { joinByInvitation, lookAtInvitation } from './join.ts';
import { account } from './library.ts';
import { endOwnSessions, endOwnToken, makeOwnToken, me } from './me.ts';
import { invitePerson, listPeople, recoverPerson, setPerson, takeInvitationBack } from './people.ts';
import { setSignInProvider, signInProvider } from './provider.ts';
import { addSenderToken, listSenderTokens, stopSenderToken } from './senderTokens.ts';
import { listWatched, setWatched } from './watched.ts';
import { signInWays } from './ways.ts';

/** Endpoints of people, what they come in by, and what was done. */
export const ACCOUNT_ENDPOINTS = [
  me,
  endOwnSessions,
  makeOwnToken,
  endOwnToken,
  lookAtInvitation,
  joinByInvitation,
  listPeople,
  setPerson,
  invitePerson,
  recoverPerson,
  takeInvitationBack,
  signInProvider,
  setSignInProvider,
  audit,
  listWatched,
  setWatched,
  listSenderTokens,
  addSenderToken,
  stopSenderToken,
  signInWays,
];

const json = { content: { 'application/json': { schema: { type: 'object' } } } };

function ofLibrary(method: 'GET' | 'POST', path: string, least: Least, summary: string) {
  const responses = { 200: { description: 'Done.', ...json }, 400: { description: 'It could not be done; why.', ...json } };
  const parameters = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }));
  const body = method === 'POST' ? { requestBody: { required: true, ...json } } : {};
  const description = { summary, parameters, responses, ...body };
  return { method, path: `/api/account${path}`, least, description, respond: account };
}

/** What the library for sign-in answers; of all that it could, this alone is reachable. */
export const ACCOUNT_RAW_ENDPOINTS = [
  ofLibrary('POST', '/sign-in/email', 'anyone', 'Signs in by address and password: email, password.'),
  ofLibrary('POST', '/sign-in/social', 'anyone', 'Begins to sign in by the provider: provider "company", callbackURL.'),
  ofLibrary('GET', '/callback/{provider}', 'anyone', 'Where the provider sends people back to.'),
  ofLibrary('POST', '/two-factor/verify-totp', 'anyone', 'Gives the second factor: code.'),
  ofLibrary('POST', '/two-factor/verify-backup-code', 'anyone', 'Gives a spare code instead: code.'),
  ofLibrary('POST', '/sign-out', 'anyone', 'Ends the session.'),
  ofLibrary('POST', '/two-factor/enable', 'reader', 'Begins to set up a second factor: password.'),
  ofLibrary('POST', '/two-factor/disable', 'reader', 'Takes the second factor away: password.'),
  ofLibrary('POST', '/change-password', 'reader', 'Sets another password: currentPassword, newPassword.'),
  {
    method: 'GET' as const,
    path: '/api/audit/export',
    least: 'administrator' as const,
    audit: true,
    description: {
      summary: 'What was done and by whom, as JSON lines.',
      parameters: ['text', 'from', 'to'].map((name) => ({ name, in: 'query', schema: { type: 'string' } })),
      responses: {
        200: { description: 'An entry a line.', content: { 'application/x-ndjson': { schema: { type: 'string' } } } },
      },
    },
    respond: exportAudit,
  },
];
