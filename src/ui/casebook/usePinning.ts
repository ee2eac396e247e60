import { writeCondition } from '../../core/scope/conditionText.ts';
import { comparisonQuery, type Scope, scopeQuery, windowAt } from '../../core/scope/scope.ts';
import { PAGES } from '../pages/registry.ts';
import { type NewCase, useNewCase, usePin } from '../queries/casebook.ts';
import { addressHere, useScope } from '../state/scopeState.ts';
import { openCase, useOpenCase, usePersonName } from './openCase.ts';
import type { Pinnable } from './pinnables.ts';

/** What a page says of itself: its headline. */
export function headlineHere(): string {
  return (document.querySelector('main h1')?.textContent ?? '').replace(/\s+/g, ' ').trim().slice(0, 300);
}

/** The page that is open, as people call it: the entry of the rail that it belongs to. */
export function pageHere(): string {
  const path = location.pathname;
  const entry =
    PAGES.filter(({ icon }) => icon).find(
      (it) => path === it.path || path.startsWith(`${it.path}/`) || it.also?.some((one) => path.startsWith(one)),
    ) ?? PAGES.find((it) => path.startsWith(it.path));
  return entry?.name ?? '';
}

/** Pins things to the open case, or to a new one that is opened with it. */
export function usePinning() {
  const { scope } = useScope();
  const id = useOpenCase();
  const by = usePersonName();
  const pin = usePin();
  const begin = useNewCase();

  /** The address of this page with the window held where it is. */
  const heldAddress = () => addressHere({ ...scope, lit: { type: 'fixed', ...windowAt(scope.lit, Date.now()) } });

  const requestOf = ({ kind, of, query, part, said, hypothesis, given }: Pinnable) => ({
    ...(hypothesis ? { hypothesis } : {}),
    given: given ?? [],
    kind,
    query: { ...SCOPES[of](scope), ...query },
    part: part ?? {},
    path: heldAddress(),
    page: pageHere(),
    words: said ?? headlineHere(),
  });

  /** Begins a case here: of the lit window and chips, with what is given. It is open from then on. */
  const beginHere = async (more: Partial<NewCase> = {}) => {
    const window = windowAt(scope.lit, Date.now());
    const made = await begin.mutateAsync({
      by,
      title: headlineHere(),
      since: scope.lit.type === 'fixed' ? window.from : null,
      where: scope.chips
        .filter(({ on }) => on)
        .map(writeCondition)
        .join(';'),
      ...more,
    });
    openCase(made.id);
    return made;
  };

  /** Pins something. @returns the case that it went to, and what it is called there */
  const pinIt = async (it: Pinnable): Promise<{ id: number; title: string; isNew: boolean }> => {
    if (id !== undefined) return { id, title: (await pin.mutateAsync({ id, by, pin: requestOf(it) })).title, isNew: false };
    const made = await beginHere({ pins: [requestOf(it)] });
    if (made.notPinned.length > 0) throw new Error(`Case ${made.id} was begun, but nothing pinned: ${made.notPinned[0]}`);
    return { id: made.id, title: it.what, isNew: true };
  };

  return { id, by, pinIt, beginHere, requestOf, isBusy: pin.isPending || begin.isPending };
}

/** What of the scope goes into a question. */
const SCOPES: Readonly<Record<Pinnable['of'], (scope: Scope) => Record<string, string>>> = {
  narrowed: (scope) => comparisonQuery(scope, Date.now()),
  windows: (scope) => comparisonQuery({ ...scope, chips: [] }, Date.now()),
  requests: (scope) => scopeQuery(scope, Date.now()),
  lit: (scope) => scopeQuery({ ...scope, chips: [] }, Date.now()),
  nothing: () => ({}),
};
