import { PAGE_VIEWS, type PageView } from '../../core/visits/pageViews.ts';
import { conditionsText, parseConditions, type VisitCondition } from '../../core/visits/visitFilter.ts';
import type { AddressedOptions } from '../../ui/state/usePageOptions.ts';

/** What the pages about visitors have in their addresses. */
export interface VisitorsOptions {
  readonly app: string;
  readonly who: string;
  /** Milliseconds until ready that satisfy. */
  readonly target: number;
  /** The page that is looked into. */
  readonly page: string;
  /** By what the worst pages stand first. */
  readonly view: PageView;
  readonly order: string;
  readonly steps: string;
  readonly within: string;
  readonly per: string;
  readonly step: string;
  readonly group: string;
}

export const TARGET_MS = 2_000;

export const VISITORS_OPTIONS: AddressedOptions<VisitorsOptions> = {
  names: ['app', 'who', 'target', 'page', 'view', 'order', 'steps', 'within', 'per', 'step', 'group'],
  read: (parameters) => {
    const text = (name: string) => parameters.get(name) ?? '';
    const target = Number(parameters.get('target'));
    return {
      app: text('app'),
      who: parseConditions(text('who')) ? text('who') : '',
      target: target >= 100 && target <= 60_000 ? target : TARGET_MS,
      page: text('page'),
      view: PAGE_VIEWS.find((it) => it === text('view')) ?? 'waiting',
      order: text('order'),
      steps: text('steps'),
      within: text('within'),
      per: text('per'),
      step: text('step'),
      group: text('group'),
    };
  },
  write: ({ target, view, ...texts }) => ({
    ...Object.fromEntries(Object.entries(texts).map(([name, value]) => [name, value || undefined])),
    target: target === TARGET_MS ? undefined : String(target),
    view: view === 'waiting' ? undefined : view,
  }),
};

/** The application that a sentence is about, where there are several. */
export function appInWords({ app, apps }: { readonly app: string; readonly apps: readonly unknown[] }): string {
  return apps.length > 1 ? app : '';
}

export function conditionsOf({ who }: { readonly who: string }): VisitCondition[] {
  return parseConditions(who) ?? [];
}

/** The narrowing with one more condition; one on the same field gives way. */
export function withCondition(who: string, condition: VisitCondition): string {
  const others = conditionsOf({ who }).filter(({ field, not }) => field !== condition.field || not !== condition.not);
  return conditionsText([...others, condition]);
}
