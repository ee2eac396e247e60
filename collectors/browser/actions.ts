import { maskText } from '../../src/core/visits/pageMask.ts';
import type { Told } from './outbox.ts';
import type { OwnRequest } from './requests.ts';
import { epochMs, positive, type Views } from './views.ts';

/** What is not followed by anything within so long had no effect. */
const EFFECT_MS = 1_000;
/** An answer is waited for so long. */
const ANSWER_MS = 60_000;
/** What changes by itself that often while nobody presses anything is no effect of a press. */
const RESTLESS = 2;

const PRESSED =
  'button, a[href], summary, select, label, [role=button], [role=link], [role=tab], [role=menuitem], [role=checkbox], [role=radio], [role=switch], [role=option], input[type=button], input[type=submit], input[type=reset], input[type=image], input[type=checkbox], input[type=radio]';
const TYPED = 'input, textarea, [contenteditable=""], [contenteditable=true]';

/** A press that waits for what comes of it. */
interface Press {
  readonly atMs: number;
  readonly name: string;
  readonly element: string;
  readonly page: string;
  readonly view: string;
  readonly requests: OwnRequest[];
  effect: string;
  effectMs: number;
}

/** What visitors press, and what comes of it: a change of the page, another page, a request, a change of focus, or nothing. */
export class Actions {
  readonly #views: Views;
  readonly #tell: (told: Told) => void;
  #pending: Press[] = [];
  readonly #changes = new WeakMap<Node, number>();

  constructor(views: Views, tell: (told: Told) => void) {
    this.#views = views;
    this.#tell = tell;
    addEventListener('click', (event) => this.#pressed(event), { capture: true, passive: true });
    addEventListener('focusin', (event) => this.#focused(event), { capture: true, passive: true });
    for (const name of ['change', 'submit', 'toggle', 'scroll', 'hashchange', 'fullscreenchange', 'copy'])
      addEventListener(
        name,
        () => {
          // A link to "#" leads nowhere, though the address changes.
          if (name === 'hashchange' && location.hash === '') return;
          this.#effect(name === 'submit' || name === 'hashchange' ? 'navigation' : 'mutation');
        },
        { capture: true, passive: true },
      );
    addEventListener('beforeunload', () => this.#effect('navigation'), { capture: true });
    addEventListener('pagehide', () => this.#settleAll(), { capture: true });
    views.onChange(() => this.#effect('navigation'));
    new MutationObserver((changes) => this.#mutated(changes)).observe(document, {
      subtree: true,
      childList: true,
      attributes: true,
      characterData: true,
    });
  }

  /** A script asks a server for something. */
  requested(request: OwnRequest): void {
    const press = this.#pending.at(-1);
    if (!press || request.startMs - press.atMs > EFFECT_MS) return;
    press.requests.push(request);
    this.#effect('request');
  }

  #pressed(event: MouseEvent): void {
    const target = event.target instanceof Element ? event.target : undefined;
    const element = target && pressedElement(target);
    if (!element) return;
    const atMs = epochMs(event.timeStamp || performance.now());
    const { page, id } = this.#views.open;
    const press: Press = {
      atMs,
      name: nameOf(element),
      element: element.localName,
      page,
      view: id,
      requests: [],
      effect: '',
      effectMs: atMs,
    };
    this.#pending.push(press);
    // A link that nobody stops leads somewhere, if only to a new tab or a file.
    const link = element.closest('a[href]');
    if (link)
      setTimeout(() => {
        const to = (link as HTMLAnchorElement).getAttribute('href') ?? '';
        if (!event.defaultPrevented && !/^(#|javascript:)/.test(to)) this.#effectOf(press, 'navigation');
      });
    setTimeout(() => this.#settle(press), EFFECT_MS + 20);
  }

  #focused(event: FocusEvent): void {
    const press = this.#pending.at(-1);
    // What is pressed takes the focus itself: that is no effect of it.
    if (press && event.target instanceof Element && !event.target.matches(PRESSED)) this.#effect('focus');
  }

  #mutated(changes: readonly MutationRecord[]): void {
    // What changes by itself all the time says nothing about whether a page is ready.
    if (changes.some(({ target }) => (this.#changes.get(target) ?? 0) < RESTLESS)) this.#views.stirred();
    const isWaiting = this.#pending.some(({ effect }) => effect === '');
    for (const { target } of changes) {
      const before = this.#changes.get(target) ?? 0;
      if (isWaiting) {
        if (before < RESTLESS) {
          this.#effect('mutation');
          return;
        }
      } else this.#changes.set(target, before + 1);
    }
  }

  /** The waiting presses have an effect. */
  #effect(effect: string): void {
    for (const press of this.#pending) this.#effectOf(press, effect);
  }

  #effectOf(press: Press, effect: string): void {
    // A request, or another page, says more than what changed because of it.
    if (press.effect !== '' && (press.effect !== 'mutation' || (effect !== 'request' && effect !== 'navigation'))) return;
    press.effect = effect;
    press.effectMs = epochMs(performance.now());
  }

  /** Reports a press once its effect is known; one that sent requests, once they are answered. */
  #settle(press: Press, isLeft = false): void {
    if (!this.#pending.includes(press) && !isLeft) return;
    const open = press.requests.filter(({ endMs }) => endMs === undefined);
    if (open.length > 0 && !isLeft && epochMs(performance.now()) - press.atMs < ANSWER_MS) {
      setTimeout(() => this.#settle(press), 100);
      return;
    }
    this.#pending = this.#pending.filter((it) => it !== press);
    const endMs = Math.max(press.effectMs, ...press.requests.map((it) => it.endMs ?? press.effectMs));
    // Of several requests the one that was answered last is what was waited for.
    const last = press.requests.reduce<OwnRequest | undefined>(
      (a, b) => (!a || (b.endMs ?? 0) > (a.endMs ?? 0) ? b : a),
      undefined,
    );
    this.#tell({
      k: 'action',
      t: press.atMs,
      p: press.page,
      n: press.name,
      ...(press.effect !== '' && { d: positive(endMs - press.atMs) }),
      ...(last?.traceId && { tr: last.traceId }),
      x: { view: press.view, element: press.element, effect: press.effect || 'none', ...(last && { status: last.status }) },
    });
  }

  /** The page is left: that is the effect of the last press. */
  #settleAll(): void {
    for (const press of this.#pending) {
      this.#effectOf(press, 'navigation');
      this.#settle(press, true);
    }
    this.#pending = [];
  }
}

/** What was meant by a press: a control around it, or something that looks as if it could be pressed. Fields to type in are none. */
function pressedElement(target: Element): Element | undefined {
  const control = target.closest(PRESSED);
  // A label presses what it belongs to, and that is told.
  if (control instanceof HTMLLabelElement && control.control) return undefined;
  if (control) return control;
  if (target.closest(TYPED)) return undefined;
  return getComputedStyle(target).cursor === 'pointer' ? target : undefined;
}

/** What a visitor calls it: its label. What somebody typed is never read. */
function nameOf(element: Element): string {
  const masked = element.closest('[data-dusk-mask]');
  if (masked) return '•••';
  const own = element.getAttribute('data-dusk-name') ?? element.getAttribute('aria-label') ?? element.getAttribute('title');
  const text = own ?? (element.matches('select, textarea') ? element.getAttribute('name') : textOf(element));
  return maskText((text ?? '').replace(/\s+/g, ' ').trim(), 60) || element.localName;
}

/** The text on a control; of a button that is an input its value is its label. */
function textOf(element: Element): string {
  if (element instanceof HTMLInputElement)
    return /^(button|submit|reset)$/.test(element.type) ? element.value : (element.labels?.[0]?.textContent ?? element.name);
  return element.textContent ?? '';
}
