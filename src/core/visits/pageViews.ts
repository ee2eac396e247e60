import { SIGNS, type SignKind } from './struggle.ts';

/** By what pages are ready to be looked at, the worst first. */
export const PAGE_VIEWS = ['waiting', 'errors', 'struggle'] as const;
export type PageView = (typeof PAGE_VIEWS)[number];

/** What of a page's figures a view needs, in one window. */
export interface ViewedFigures {
  readonly views: number;
  /** Views with an error or a crash. */
  readonly errors: number;
  readonly signs: Readonly<Record<SignKind, number>>;
}

export interface ViewedPage {
  readonly lit: ViewedFigures;
  readonly before: ViewedFigures;
  /** Milliseconds that were waited longer than before, of all views together. */
  readonly extraMs: number;
}

/** What a view counts of a page in one window: views with an error; signs of struggle. */
export function countOf(view: Exclude<PageView, 'waiting'>, { errors, signs }: ViewedFigures): number {
  return view === 'errors' ? errors : SIGNS.reduce((sum, sign) => sum + signs[sign], 0);
}

/** Pages by a view: first where it got worse, by how much for all views together; then by how much there is. */
export function worstBy<Page extends ViewedPage>(view: PageView, pages: readonly Page[]): Page[] {
  if (view === 'waiting') return [...pages].sort((a, b) => b.extraMs - a.extraMs || b.lit.views - a.lit.views);
  const extra = ({ lit, before }: Page) => {
    const usual = before.views > 0 ? countOf(view, before) / before.views : 0;
    return Math.max(0, countOf(view, lit) - usual * lit.views);
  };
  // Less than one more is chance, and no order.
  const more = (page: Page) => Math.floor(extra(page));
  return [...pages].sort((a, b) => more(b) - more(a) || countOf(view, b.lit) - countOf(view, a.lit) || b.lit.views - a.lit.views);
}
