import { useQueries } from '@tanstack/react-query';
import { type ReactNode, useDeferredValue, useMemo, useRef, useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { SpanDetails } from '../../api/traces/span.ts';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import type { UsualDurations } from '../../api/traces/usual.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { Ledger } from '../../ui/ledger/Ledger.tsx';
import { columnQuery, useFindInTrace } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { Heading } from './Heading.tsx';
import { FoldInspector } from './inspector/FoldInspector.tsx';
import { OwnCode } from './inspector/OwnCode.tsx';
import { SpanInspector } from './inspector/SpanInspector.tsx';
import { LogList } from './LogList.tsx';
import { mainRow } from './story.ts';
import { Toolbar } from './Toolbar.tsx';
import styles from './TracePage.module.css';
import { columnsOf, OWN_COLUMNS } from './timeline/columns.ts';
import { foldOfRow, foldRow } from './timeline/outline.ts';
import { Timeline } from './timeline/Timeline.tsx';
import { useUsualOf } from './useUsualOf.ts';

interface TraceScreenProps {
  readonly start: IslandStart;
  readonly series: RequestSeries | undefined;
  readonly trace: TraceTimeline;
  readonly busy: boolean;
  readonly trouble: Error | null;
  readonly usual: UsualDurations | undefined;
  /** In which window it is usual; undefined where there is nothing to choose. */
  readonly usualSide?: 'lit' | 'before';
  readonly setUsualSide?: (side: 'lit' | 'before') => void;
  /** All that was sent of its spans, by id, when the trace is not kept. */
  readonly known?: ReadonlyMap<string, SpanDetails>;
  /** A span to begin at. */
  readonly firstSpan?: string;
  readonly joined: boolean;
  readonly setJoined: (on: boolean) => void;
  /** What stands above it. */
  readonly note?: ReactNode;
}

/** One trace in the frame: what it says of itself, its timeline or log, where its time went, and the chosen span. */
export function TraceScreen(props: TraceScreenProps) {
  const { start, series, trace, busy, trouble, usual, known, firstSpan, joined, setJoined, note } = props;
  const { href } = useScope();
  const isKept = known === undefined;
  // Kept by its id: in a trace that grows, positions are those of other spans a moment later.
  const [chosen, setChosen] = useState(() => {
    const named = trace.spans.id.includes(firstSpan ?? '');
    return named ? { spanId: firstSpan!, asFold: false } : idOfRow(trace, mainRow(trace));
  });
  const row = useMemo(() => rowOfId(trace, chosen), [trace, chosen]);
  // A link that is copied leads to the span that was chosen; the one that is chosen at first needs no name.
  const choose = (next: number) => {
    setChosen(idOfRow(trace, next));
    if (!isKept) return;
    const url = new URL(location.href);
    if (next < 0) url.searchParams.delete('span');
    else url.searchParams.set('span', trace.spans.id[next]);
    history.replaceState(null, '', url);
  };
  const [ledgerLine, setLedgerLine] = useState<number>();
  const openedLine = ledgerLine === undefined ? undefined : trace.ledger[ledgerLine];
  const [byService, setByService] = useState(false);
  const [listed, setListed] = useState<'spans' | 'log'>('spans');
  const [columnKeys, setColumnKeys] = useState<readonly string[]>([]);
  const [sought, setSought] = useState('');
  const searchInput = useRef<HTMLInputElement>(null);
  const picture = useRef<HTMLDivElement>(null);
  const usualOf = useUsualOf(trace, usual);

  const found = useFindInTrace(trace.traceId, useDeferredValue(sought.trim()));
  const matches = useMemo(() => {
    if (sought.trim() === '' || !found.data) return undefined;
    const ids = new Set(found.data.found.map(({ spanId }) => spanId));
    return new Set(trace.spans.id.flatMap((id, at) => (ids.has(id) ? [at] : [])));
  }, [sought, found.data, trace]);
  const attributeKeys = columnKeys.filter((key) => !OWN_COLUMNS.some((it) => it.key === key));
  const values = useQueries({ queries: attributeKeys.map((key) => columnQuery(trace.traceId, key)) });
  const loaded = values.map((it) => it.dataUpdatedAt).join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the values are another list each time; when they came tells them apart
  const columns = useMemo(
    () => columnsOf(columnKeys, trace, usualOf, new Map(attributeKeys.map((key, at) => [key, values[at].data?.values ?? []]))),
    [columnKeys, trace, usualOf, loaded],
  );
  const spanId = chosen && row >= 0 ? trace.spans.id[row] : undefined;
  usePinnables(
    isKept && !joined
      ? [
          {
            kind: 'trace',
            what: 'this trace, its spans and where its time went',
            of: 'nothing',
            query: { traceId: trace.traceId },
          },
          { kind: 'ledger', what: 'where its time went', of: 'nothing', query: { traceId: trace.traceId } },
          spanId !== undefined && {
            kind: 'span' as const,
            what: `span ${trace.operations[trace.spans.operation[row]]}`,
            of: 'nothing' as const,
            query: { traceId: trace.traceId, spanId },
            said: `${trace.operations[trace.spans.operation[row]]} in ${trace.services[trace.spans.service[row]]}`,
          },
        ]
      : [],
  );
  return (
    <Frame
      series={{ data: series, scope: start.scope }}
      now={start.now}
      busy={busy}
      trouble={trouble}
      inspectorLabel="Where the time went"
      inspector={
        <>
          <section>
            <h2>Where the {formatDuration(trace.durationNs)} went</h2>
            <p className="dim">along the critical path; adds up exactly</p>
            <Ledger lines={trace.ledger} chosen={ledgerLine} choose={setLedgerLine} />
            {isKept && !joined && openedLine?.kind === 'own' && <OwnCode traceId={trace.traceId} party={openedLine.party} />}
          </section>
          {row < 0 ? (
            <FoldInspector
              trace={trace}
              fold={foldOfRow(row)}
              usual={usualOf(trace.folds[foldOfRow(row)].members[0])}
              choose={choose}
            />
          ) : (
            <SpanInspector trace={trace} span={row} usual={usualOf(row)} known={known} choose={choose} />
          )}
        </>
      }
    >
      {note}
      <div ref={picture} className={styles.picture}>
        <Heading trace={trace} isKept={isKept} choose={choose} />
        <Toolbar
          trace={trace}
          isKept={isKept}
          searchRef={searchInput}
          search={setSought}
          found={matches?.size}
          byService={byService}
          setByService={setByService}
          columns={columnKeys}
          setColumns={setColumnKeys}
          joined={joined}
          usualSide={props.usualSide}
          setUsualSide={props.setUsualSide}
          busy={busy}
          setJoined={setJoined}
          listed={listed}
          setListed={setListed}
          compareWith={(other) => `${href(`/traces/${trace.traceId}/compare`)}&with=${other}`}
          savePicture={() => savePicture(picture.current, trace.traceId)}
        />
        {listed === 'log' ? (
          <LogList trace={trace} chosen={row} choose={choose} />
        ) : (
          <Timeline
            // What is open is kept by position, which more spans change.
            key={trace.spans.id.length}
            trace={trace}
            chosen={row}
            choose={choose}
            litLine={ledgerLine}
            byService={byService}
            showAll={() => setByService(false)}
            usualOf={usualOf}
            columns={columns}
            matches={matches}
            search={() => searchInput.current?.focus()}
          />
        )}
      </div>
    </Frame>
  );
}

interface Chosen {
  readonly spanId: string;
  /** Whether the fold is meant that the span is the first of. */
  readonly asFold: boolean;
}

function idOfRow({ spans, folds }: TraceTimeline, row: number): Chosen {
  return { spanId: spans.id[row < 0 ? folds[foldOfRow(row)].members[0] : row], asFold: row < 0 };
}

/** The row of what was chosen; of a fold that has dissolved, its first span's; of a span that is not there, the first. */
function rowOfId({ spans, folds }: TraceTimeline, { spanId, asFold }: Chosen): number {
  const span = Math.max(0, spans.id.indexOf(spanId));
  const fold = asFold ? folds.findIndex(({ members }) => members.includes(span)) : -1;
  return fold < 0 ? span : foldRow(fold);
}

/** What is in sight of the page, as a picture file. */
async function savePicture(element: HTMLElement | null, traceId: string): Promise<void> {
  if (!element) return;
  const { toPng } = await import('html-to-image');
  const link = document.createElement('a');
  link.href = await toPng(element, { backgroundColor: getComputedStyle(document.body).backgroundColor, pixelRatio: 2 });
  link.download = `trace-${traceId}.png`;
  link.click();
}
