import { AsyncLocalStorage } from 'node:async_hooks';

/** For whom the application works at this moment. */
export interface RequestContext {
  /** Where the question came from: those who ask are given turns by it. */
  readonly address: string;
  /** Aborted when the connection closes before the answer is complete. */
  readonly left: AbortSignal;
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
