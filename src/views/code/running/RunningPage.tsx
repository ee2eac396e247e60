import { useEffect, useState } from 'react';
import type { RequestSeries } from '../../../api/requests/series.ts';
import { runningSentence } from '../../../core/profile/runningWords.ts';
import { clockTime } from '../../../core/time/clock.ts';
import { OnlyFor } from '../../../ui/access/OnlyFor.tsx';
import { usePinnables } from '../../../ui/casebook/pinnables.ts';
import { CODE_TABS } from '../../../ui/code/codePath.ts';
import { ChipsNote } from '../../../ui/databases/ChipsNote.tsx';
import { Emptiness } from '../../../ui/empty/Emptiness.tsx';
import { Frame } from '../../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../../ui/islands/Island.tsx';
import { usePageKeys } from '../../../ui/keys/pageKeys.ts';
import { type AskedProbe, askProbe, LOOK_EVERY_MS, useProbes, useRunning, useRunningRequest } from '../../../ui/queries/code.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { usePageOptions } from '../../../ui/state/usePageOptions.ts';
import { useMay } from '../../../ui/state/who.ts';
import { useZone } from '../../../ui/state/zone.ts';
import { PageTabs } from '../../../ui/tabs/PageTabs.tsx';
import { OwnRules } from '../OwnRules.tsx';
import { Followed } from './Followed.tsx';
import { PileUp } from './PileUp.tsx';
import { PlaceTable, type Running } from './PlaceTable.tsx';
import styles from './Running.module.css';
import { RunningAside } from './RunningAside.tsx';
import { RUNNING_OPTIONS, type RunningOptions } from './runningOptions.ts';

export interface RunningFirst {
  readonly series?: RequestSeries;
  readonly options: RunningOptions;
}

/** How often the followed request is looked at. */
const FOLLOW_MS = 5_000;

/** Which running requests are stuck, on what. */
export function RunningPage({ start, first }: { start: IslandStart; first: RunningFirst }) {
  const { scope, change } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, RUNNING_OPTIONS);
  const [isPaused, setPaused] = useState(false);
  const [opened, open] = useState('');
  const [asked, setAsked] = useState<AskedProbe>();
  const found = useRunning(scope, isPaused);
  const answer = found.data;
  const all = answer?.places.flatMap(({ requests }) => requests) ?? [];
  const chosen = all.find(({ traceId }) => traceId === options.request) ?? (options.request === '' ? all[0] : undefined);
  const followed = options.request || chosen?.traceId || '';
  const detail = useRunningRequest(
    scope,
    followed,
    options.of || chosen?.service || '',
    options.instance || chosen?.instance || '',
    isPaused,
  );
  const it = detail.data;
  usePinnables([
    it?.looks.some(({ frames }) => frames.length > 0) && {
      kind: 'stack',
      what: `the stack of ${it.request.operation}`,
      of: 'windows',
      query: { traceId: it.request.traceId, service: it.request.service, instance: it.request.instance },
      said: `${it.request.operation} in ${it.request.service} runs`,
    },
    answer && { kind: 'running', what: 'where requests stand', of: 'windows' },
  ]);
  const choose = ({ traceId, service, instance }: Running) => setOptions({ request: traceId, of: service, instance }, false);
  // What is followed stays followed until it has ended or another is chosen, also when an older one comes up.
  useEffect(() => {
    if (options.request === '' && chosen) choose(chosen);
  });
  const step = (by: number) => {
    const next = chosen ? all[Math.min(Math.max(all.indexOf(chosen) + by, 0), all.length - 1)] : all[0];
    if (next) choose(next);
  };
  const { data: probes } = useProbes();
  const environment =
    probes?.processes.find(({ service, instance }) => service === it?.request.service && instance === it?.request.instance)
      ?.environment ?? '';
  const may = useMay('responder', environment);
  const look = async () => {
    if (!it) return;
    const { service, instance, traceId } = it.request;
    // Who only reads sees what the process told; asking it for more takes a role.
    if (may) setAsked(await askProbe({ service, instance, traceId }).catch(() => undefined));
    setTimeout(() => void detail.refetch(), 700);
  };
  const follows = scope.lit.type === 'last';
  const canFollow = follows && !isPaused && it?.state === 'running';
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is followed decides, not how it was asked
  useEffect(() => {
    if (!canFollow) return undefined;
    const timer = setInterval(() => void look(), FOLLOW_MS);
    return () => clearInterval(timer);
  }, [canFollow, followed]);
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
    [' ', () => setPaused(!isPaused)],
    ['s', () => void look()],
    ['Escape', () => setOptions({ request: '', of: '', instance: '' }, false)],
  ]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching && !answer}
      trouble={answer ? found.error : null}
      inspectorLabel="Request"
      inspector={<RunningAside request={it} answer={answer} />}
    >
      <header className={styles.head}>
        <PageTabs label="Code" tabs={CODE_TABS} here="/code" />
        {answer && (
          <span className={styles.live}>
            {follows ? (
              <>
                <i data-on={!isPaused} /> {isPaused ? 'paused' : `looked again every ${LOOK_EVERY_MS / 1000} s`}
                <button type="button" onClick={() => setPaused(!isPaused)}>
                  {isPaused ? 'go on' : 'pause'} <kbd>space</kbd>
                </button>
              </>
            ) : (
              <>as it was at {clockTime(answer.at, zone, true)}</>
            )}
          </span>
        )}
      </header>
      <h1 className={styles.headline} aria-live="polite">
        {answer ? runningSentence(answer.places, answer.running) : found.error ? 'No answer' : 'Looking at what runs …'}
      </h1>
      <ChipsNote of="running requests" />
      {found.error && !answer && (
        <Emptiness
          title="Running requests cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label="Running requests">
          <PileUp answer={answer} />
          {answer.places.length === 0 && followed === '' && (
            <Emptiness
              title={
                answer.overTime.points.length === 0
                  ? 'No long-running requests were reported in this window'
                  : 'Nothing is stuck at the end of this window'
              }
              words="Requests that run for longer than 100 ms are reported by the probe of their service every few seconds. Light a window that ends where the picture above is high."
              actions={
                follows
                  ? []
                  : [{ label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) }]
              }
            />
          )}
          {answer.places.length > 0 && <PlaceTable answer={answer} chosen={chosen} choose={choose} opened={opened} open={open} />}
          {detail.error && <p className={styles.note}>{detail.error.message}</p>}
          {it && (
            <div className={styles.follow}>
              <p className={styles.followHead}>
                <b>
                  {it.request.operation} <code>{it.request.traceId.slice(0, 8)}</code>{' '}
                  {it.state === 'ended'
                    ? 'ended'
                    : it.state === 'unknown'
                      ? 'not heard of any more'
                      : `running ${Math.round(it.request.ageMs / 100) / 10} s`}
                </b>
                <span className="dim">{askedWords(asked, zone)}</span>
                <OnlyFor least="responder" environment={environment}>
                  <button type="button" onClick={() => void look()} disabled={it.state === 'ended'}>
                    look now <kbd>s</kbd>
                  </button>
                </OnlyFor>
              </p>
              <Followed request={it} />
            </div>
          )}
          <OwnRules />
        </section>
      )}
    </Frame>
  );
}

/** What became of the last look that was asked for. */
function askedWords(asked: AskedProbe | undefined, zone: string): string {
  switch (asked?.is) {
    case 'no probe':
      return 'No probe speaks for this process; what it reports by itself is shown.';
    case 'gone':
      return `The probe of this process is gone since ${asked.since ? clockTime(asked.since, zone, true) : 'a while'}.`;
    case 'cannot':
      return 'The probe of this process takes no stacks.';
    case 'busy':
      return 'The probe has enough to do already.';
    default:
      return '';
  }
}
