import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useVisitorApps } from '../../ui/queries/visitors.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { visitorPath } from '../../ui/visitors/visitorPaths.ts';
import { visitorGlances } from './visitorGlances.ts';

/** What visitors live through: pages may be dead while the company answers as ever. */
export function VisitorsPanel() {
  const { scope, href } = useScope();
  const zone = useZone();
  const answer = useVisitorApps(scope).data;
  const apps = answer ? visitorGlances(answer, zone) : [];
  if (apps.length === 0) return null;
  return (
    <section>
      <h2>Visitors</h2>
      {apps.map(({ app, crashed, words, state }) => (
        <p key={app}>
          <StateGlyph state={state} word={state === 'calm' ? 'as before' : state === 'unknown' ? 'too little to say' : 'worse'} />{' '}
          <a
            href={href(visitorPath(crashed > 0 && state === 'failing' ? '/visitors/steps' : '/visitors', { app, who: '' }))}
            suppressHydrationWarning
          >
            {app}
          </a>{' '}
          <span className="dim">{words}</span>
        </p>
      ))}
    </section>
  );
}
