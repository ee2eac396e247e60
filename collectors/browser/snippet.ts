import { onCLS, onFCP, onINP, onLCP, onTTFB } from 'web-vitals';
import { maskMail, maskStack, maskText } from '../../src/core/visits/pageMask.ts';
import { Actions } from './actions.ts';
import { Outbox, type Told } from './outbox.ts';
import { followRequests } from './requests.ts';
import { followResources } from './resources.ts';
import { Session } from './session.ts';
import { type SnippetSettings, settingsOf } from './settings.ts';
import { epochMs, Views } from './views.ts';

/*
 * What a page includes to tell what its visitors see and do. It never reads what is typed, needs no cookie, and does nothing at all before
 * consent where the page asks for that.
 */

/** What a page may call. */
interface Handle {
  /** Yes or no of the visitor, where the page asks. */
  readonly consent: (given: boolean) => void;
  /** A name of no meaning for the visitor. */
  readonly user: (name: string) => void;
  /** Facts of the visit to tell visits apart by. */
  readonly about: (facts: Readonly<Record<string, unknown>>) => void;
  /** Another page is shown, for applications without addresses. */
  readonly view: (path: string) => void;
  /** An error that the page caught. */
  readonly error: (error: unknown) => void;
}

declare global {
  interface Window {
    duskLantern?: Handle;
  }
}

function start(settings: SnippetSettings): Handle {
  const outbox = new Outbox(settings, new Session());
  const tell = (told: Told) => outbox.tell(told);
  const views = new Views(tell);
  const actions = new Actions(views, tell);
  followRequests(views, settings, tell, (request, isOwn) => isOwn && actions.requested(request));
  followResources(views, settings, tell);
  for (const [name, on] of Object.entries({ LCP: onLCP, INP: onINP, CLS: onCLS, FCP: onFCP, TTFB: onTTFB }))
    on(({ value }) => {
      const view = views.first.id;
      const told = { k: 'vital', t: epochMs(performance.now()), p: views.first.page, n: name };
      tell(name === 'CLS' ? { ...told, x: { view, value } } : { ...told, d: value, x: { view } });
    });
  let errors = 0;
  const failed = (error: unknown, handled: boolean) => {
    // One that comes again and again says nothing new.
    if (errors++ >= 50) return;
    const { message, stack = '' } = error instanceof Error ? error : { message: String(error) };
    const { page, id } = views.open;
    tell({
      k: 'error',
      t: epochMs(performance.now()),
      p: page,
      n: maskText(message) || 'error',
      x: { view: id, stack: maskStack(stack), handled },
    });
  };
  addEventListener('error', ({ error, message }) => failed(error ?? message, false));
  addEventListener('unhandledrejection', ({ reason }) => failed(reason, false));
  addEventListener('visibilitychange', () => {
    if (document.visibilityState === 'hidden') outbox.leave();
  });
  addEventListener('pagehide', () => {
    views.end();
    tell({ k: 'leave', t: epochMs(performance.now()), p: views.open.page, x: { view: views.open.id } });
    outbox.leave();
  });
  return {
    consent: (given) => outbox.consent(given),
    user: (name) => outbox.user(maskMail(String(name), 64)),
    about: (facts) => outbox.about(facts),
    view: (path) => views.show(path),
    error: (error) => failed(error, true),
  };
}

const script = document.currentScript;
const settings = script instanceof HTMLScriptElement && !window.duskLantern ? settingsOf(script) : undefined;
if (settings && Math.random() < settings.sample) {
  try {
    window.duskLantern = start(settings);
  } catch {
    // A page never suffers from what watches it.
  }
}
