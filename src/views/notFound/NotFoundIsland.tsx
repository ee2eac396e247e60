import type { RequestSeries } from '../../api/requests/series.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { useScope } from '../../ui/state/scopeState.ts';
import styles from './NotFound.module.css';

interface NotFoundProps {
  readonly start: IslandStart;
  readonly series?: RequestSeries;
  /** Pages that may have been meant, the likeliest first. */
  readonly meant: readonly { readonly path: string; readonly name: string }[];
}

export default function NotFoundIsland({ start, ...rest }: NotFoundProps) {
  return (
    <Island start={start}>
      <NotFound start={start} {...rest} />
    </Island>
  );
}

/** What an address without a page shows: the frame, so that nothing is lost, and where one may have wanted to go. */
function NotFound({ start, series, meant }: NotFoundProps) {
  const { href } = useScope();
  const [likeliest] = meant;
  return (
    <Frame
      series={{ data: series, scope: start.scope }}
      now={start.now}
      busy={false}
      trouble={null}
      inspector={null}
      inspectorLabel="Nothing chosen"
    >
      <div className={styles.notFound}>
        <h1>There is no page at {start.path.slice(0, 80)}</h1>
        <p className="dim">
          {likeliest
            ? 'The window and the chips of this address are kept. Did you mean:'
            : 'The address may be cut off. There is:'}
        </p>
        <ul>
          {meant.map(({ path, name }) => (
            <li key={path}>
              <a href={href(path)} suppressHydrationWarning>
                {name}
              </a>{' '}
              <span className="dim mono">{path}</span>
            </li>
          ))}
        </ul>
      </div>
    </Frame>
  );
}
