import { withinRange } from '../../core/time/clock.ts';
import { glanceOf } from '../../core/visits/words.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useVisitorApps } from '../../ui/queries/visitors.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { visitorPath } from '../../ui/visitors/visitorPaths.ts';

/** What visitors live through: pages may be dead while the company answers as ever. */
export function VisitorsPanel() {
  const { scope, href } = useScope();
  const zone = useZone();
  const answer = useVisitorApps(scope).data;
  const apps = answer?.apps ?? [];
  if (apps.length === 0) return null;
  return (
    <section>
      <h2>Visitors</h2>
      {apps.map(({ app, lit, before, worst }) => {
        const { words, state } = worst
          ? glanceOf(worst, before, withinRange(worst.from, worst.to, zone, Date.parse(answer!.litWindow.to)))
          : glanceOf(lit, before);
        return (
          <p key={app}>
            <StateGlyph
              state={state}
              word={state === 'calm' ? 'as before' : state === 'unknown' ? 'too little to say' : 'worse'}
            />{' '}
            <a
              href={href(visitorPath(lit.crashes > 0 && state === 'failing' ? '/visitors/steps' : '/visitors', { app, who: '' }))}
              suppressHydrationWarning
            >
              {app}
            </a>{' '}
            <span className="dim">{words}</span>
          </p>
        );
      })}
    </section>
  );
}
