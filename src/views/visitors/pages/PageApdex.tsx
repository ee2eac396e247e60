import type { VisitorPages } from '../../../api/visitors/pages.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { useSetPageTarget } from '../../../ui/queries/visitors.ts';
import { useMay } from '../../../ui/state/who.ts';
import { percent } from '../shares.ts';
import { ApdexFigures, TargetSelect } from './ApdexFigures.tsx';

interface PageApdexProps {
  readonly app: string;
  readonly chosen: VisitorPages['pages'][number];
  /** Milliseconds until ready that satisfy on pages without a target of their own. */
  readonly ofAll: number;
}

/** Apdex of one page, by what satisfies there: for a form it may be another time than for a list. */
export function PageApdex({ app, chosen: { page, lit, before, ownTarget }, ofAll }: PageApdexProps) {
  const { loads } = lit.ready;
  const may = useMay('responder');
  const { mutate, isPending, error } = useSetPageTarget();
  return (
    <section>
      <h2>Apdex of {page}</h2>
      <p>
        <span className="mono">
          <ApdexFigures lit={lit.apdex} before={before.apdex} />
        </span>{' '}
        <TargetSelect
          label="by T ="
          value={ownTarget ?? undefined}
          ofAll={ofAll}
          isDisabled={!may || isPending}
          choose={(ms) => mutate({ app, page, ms: ms || null })}
        />
      </p>
      <p className="dim">
        {loads > 0
          ? `Of ${formatCount(loads)} loads ${percent(lit.satisfied, loads)} % satisfied, ${percent(lit.tolerated, loads)} % tolerated, ${percent(loads - lit.satisfied - lit.tolerated, loads)} % frustrated`
          : 'No loads in the window'}
        {!may && '. T is set by responders and administrators.'}
      </p>
      {error && <p role="alert">{error.message}</p>}
    </section>
  );
}
