import { AsyncLocalStorage } from 'node:async_hooks';
import type { Roles } from '../../core/accounts/role.ts';
import type { Handed } from '../drawing/messages.ts';

/** Somebody who asks. */
export interface Who extends Roles {
  /** Of the person; empty where there are no accounts, and for the application itself. */
  readonly id: string;
  /** As others are shown it; empty where there are no accounts. */
  readonly name: string;
  /** By what they came in. */
  readonly via: 'no accounts' | 'session' | 'program' | 'itself';
  /** Of the session they came in by. */
  readonly sessionId?: string;
}

/** For whom the application works at this moment. */
export interface RequestContext {
  /** Where the question came from: those of whom nothing else is known are given turns by it. */
  readonly address: string;
  /** The person who asks, once that is known: of many behind one address each is given turns. */
  person?: string;
  /** Aborted when the connection closes before the answer is complete. */
  readonly left: AbortSignal;
  /** The name by which it may be asked how far the answer is. */
  readonly question?: string;
  /** Whether the way to the one who asks is encrypted. */
  readonly isSecure?: boolean;
  /** Whether it carries a token that a sender may send with. */
  isAdmitted?: boolean;
  /** The environment of that token; absent for one that says it itself. */
  sentEnvironment?: string;
  /** In the process that draws pages: what was handed on with the page. */
  readonly handed?: Handed;
  /** Finds out who asks, once it matters. Absent until the request has come as far as that: nobody is known then. */
  identify?: () => Promise<Who | undefined>;
}

/** The process that serves the pages and the pages themselves are built apart, so that this module is there twice: the storage is not. */
const SHARED = Symbol.for('dusk-lantern.request');
const shared = globalThis as { [SHARED]?: AsyncLocalStorage<RequestContext> };
shared[SHARED] ??= new AsyncLocalStorage();
const storage = shared[SHARED];

/** Does some work for a request. */
export function withinRequest<T>(context: RequestContext, work: () => T): T {
  return storage.run(context, work);
}

/** The request that is being answered; undefined for work of the application's own. */
export function currentRequest(): RequestContext | undefined {
  return storage.getStore();
}

/** Who asks; undefined for somebody who is not signed in. */
export async function whoAsks(context: RequestContext): Promise<Who | undefined> {
  const who = await context.identify?.();
  // What programs ask in a person's name does not keep the person waiting.
  if (who && who.id !== '') context.person = `${who.id} ${who.via}`;
  return who;
}

/** For whom a request is, among those who are given turns. */
export function ownerOf({ person, address }: RequestContext): string {
  return person ?? address;
}
