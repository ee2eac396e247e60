import { lazy, type ReactNode, Suspense, useRef, useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import { CaseDrawer } from '../casebook/CaseDrawer.tsx';
import { useStepTrail } from '../casebook/useStepTrail.ts';
import { usePageKeys } from '../keys/pageKeys.ts';
import { StateGlyph } from '../list/StateGlyph.tsx';
import { useLineSeries, useRibbonMarks } from '../queries/ribbon.ts';
import { type First, useRequestSeries } from '../queries/traces.ts';
import { Ribbon } from '../ribbon/Ribbon.tsx';
import { useScope } from '../state/scopeState.ts';
import { FillingNote } from './FillingNote.tsx';
import styles from './Frame.module.css';
import { LeftOutNote } from './LeftOutNote.tsx';
import { LongWork } from './LongWork.tsx';
import { Rail } from './Rail.tsx';
import { ScopeBar } from './ScopeBar.tsx';
import { WidenedNote } from './WidenedNote.tsx';
import { useWindowKeys } from './windowKeys.ts';

/** Fetched when it is asked for. */
const KeyList = lazy(async () => ({ default: (await import('./KeyList.tsx')).KeyList }));

interface FrameProps {
  readonly series: First<RequestSeries>;
  readonly now: number;
  /** How many questions of the page are under way. */
  readonly busy: boolean;
  /** Why what is shown could not be brought up to date. */
  readonly trouble: Error | null;
  readonly children: ReactNode;
  readonly inspector: ReactNode;
  readonly inspectorLabel: string;
  /** Whether the page is about lines: the ribbon shows them then, by severity. */
  readonly isOfLines?: boolean;
}

/** The frame that is the same on every page: rail, scope bar, ribbon, the page, its inspector. */
export function Frame({ series, now, busy, trouble, children, inspector, inspectorLabel, isOfLines = false }: FrameProps) {
  const { scope, change, href } = useScope();
  const requests = useRequestSeries(scope, series);
  const marks = useRibbonMarks(scope);
  const lines = useLineSeries(scope, isOfLines);
  // Not asked for until it is; from then on it stays, and closes as other dialogs do.
  const [keysShown, setKeysShown] = useState<boolean>();
  const ask = useRef<HTMLInputElement>(null);
  useWindowKeys();
  useStepTrail();
  usePageKeys([
    ['/', () => ask.current?.focus()],
    ['shift+?', () => setKeysShown(true)],
    ['?', () => setKeysShown(true)],
  ]);
  return (
    <div className={styles.frame}>
      <a className={styles.skip} href="#page">
        Skip to the page
      </a>
      <Rail href={href} />
      <ScopeBar ask={ask} showKeys={() => setKeysShown(true)} />
      <Ribbon
        series={requests.data}
        failure={requests.error}
        lit={scope.lit}
        now={now}
        before={scope.before}
        marks={marks.data}
        lines={isOfLines ? lines.data : undefined}
        onLit={(lit) => change({ ...scope, lit })}
        onBefore={(before) => change({ ...scope, before })}
      />
      <div className={styles.progress} data-busy={busy || requests.isFetching} />
      <main id="page" className={styles.page} tabIndex={-1}>
        {trouble && (
          <p className={styles.trouble} role="status">
            <StateGlyph state="strained" word="" /> Not up to date: {trouble.message}
          </p>
        )}
        <WidenedNote />
        <FillingNote />
        <LeftOutNote />
        <LongWork />
        {children}
      </main>
      <aside className={styles.inspector} aria-label={inspectorLabel}>
        {inspector}
      </aside>
      <CaseDrawer />
      {keysShown !== undefined && (
        <Suspense>
          <KeyList shown={keysShown} close={() => setKeysShown(false)} />
        </Suspense>
      )}
    </div>
  );
}
