import { useRef } from 'react';
import type { MachinePods } from '../../../api/machines/pods.ts';
import type { RequestSeries } from '../../../api/requests/series.ts';
import { PATTERN_WORDS } from '../../../core/machines/pods/podPatterns.ts';
import { podsSentence } from '../../../core/machines/pods/podWords.ts';
import { usePinnables } from '../../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../../ui/empty/Emptiness.tsx';
import { Frame } from '../../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../../ui/islands/Island.tsx';
import { usePageKeys } from '../../../ui/keys/pageKeys.ts';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { MACHINE_TABS } from '../../../ui/machines/machinePaths.ts';
import { useObject, usePods } from '../../../ui/queries/machines.ts';
import { saveCsv } from '../../../ui/save/csv.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { usePageOptions } from '../../../ui/state/usePageOptions.ts';
import { PageTabs } from '../../../ui/tabs/PageTabs.tsx';
import styles from '../Machines.module.css';
import { ObjectAside } from './ObjectAside.tsx';
import { ObjectPictures } from './ObjectPictures.tsx';
import { ObjectTable } from './ObjectTable.tsx';
import pods from './Pods.module.css';
import { PodTable } from './PodTable.tsx';
import { POD_OPTIONS, type PodOptions } from './podOptions.ts';

export interface PodsFirst {
  readonly series?: RequestSeries;
  readonly options: PodOptions;
}

/** Which pods are unwell, by which pattern; and any other object of the inventory. */
export function PodsPage({ start, first }: { start: IslandStart; first: PodsFirst }) {
  const { scope, change } = useScope();
  const [options, setOptions] = usePageOptions(first.options, POD_OPTIONS);
  const finder = useRef<HTMLInputElement>(null);
  const { pattern, label, machine, find } = options;
  const asked = Object.fromEntries(Object.entries({ pattern, label, machine, find }).filter(([, value]) => value !== ''));
  const found = usePods(scope, asked);
  const answer = found.data;
  const listed = answer?.pods ?? [];
  const chosen = options.object || (options.kind === '' ? (listed[0]?.id ?? '') : '');
  const object = useObject(scope, chosen);
  const chosenPod = listed.find(({ id }) => id === chosen);
  usePinnables([
    chosenPod && {
      kind: 'pods',
      what: `pod ${chosenPod.name}`,
      of: 'windows',
      query: asked,
      part: { rows: chosenPod.id },
      said: `Pod ${chosenPod.name}`,
    },
    answer && { kind: 'pods', what: 'pods in trouble', of: 'windows', query: asked },
  ]);
  const step = (by: number) => {
    // The table of other kinds has keys of its own.
    if (options.kind !== '') return;
    const at = listed.findIndex(({ id }) => id === chosen);
    const next = listed[Math.min(Math.max(at + by, 0), listed.length - 1)];
    if (next) setOptions({ object: next.id }, false);
  };
  usePageKeys([
    ['f', () => finder.current?.focus()],
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
    ['Escape', () => setOptions({ pattern: '', label: '', machine: '', find: '', kind: '' })],
  ]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel="Object"
      inspector={object.data ? <ObjectAside object={object.data} open={(id) => setOptions({ object: id })} /> : undefined}
    >
      <header className={styles.head}>
        <PageTabs label="Machines" tabs={MACHINE_TABS} here="/machines/pods" />
        {answer && (
          <span className={pods.tools}>
            <select
              aria-label="which objects"
              className={styles.chip}
              value={options.kind}
              onChange={(event) => setOptions({ kind: event.target.value, object: '', fields: '' })}
            >
              <option value="">pods</option>
              {answer.kinds
                .filter(({ kind }) => kind !== 'pod' && kind !== 'source')
                .map(({ kind, objects }) => (
                  <option key={kind} value={kind}>
                    {kind} ({objects})
                  </option>
                ))}
            </select>
            {options.kind === '' && (
              <>
                <select
                  aria-label="grouped by"
                  className={styles.chip}
                  value={options.by}
                  onChange={(event) => setOptions({ by: event.target.value })}
                >
                  <option value="">not grouped</option>
                  <option value="machine">by machine</option>
                  <option value="pattern">by pattern</option>
                  {answer.labels.map(({ name }) => (
                    <option key={name} value={`label ${name}`}>
                      by {name}
                    </option>
                  ))}
                </select>
                <select
                  aria-label="narrow by a label"
                  className={styles.chip}
                  value={options.label}
                  onChange={(event) => setOptions({ label: event.target.value, object: '' })}
                >
                  <option value="">any label</option>
                  {answer.labels.map(({ name, values }) => (
                    <optgroup key={name} label={name}>
                      {values.map((value) => (
                        <option key={value} value={`${name}=${value}`}>
                          {name} {value}
                        </option>
                      ))}
                    </optgroup>
                  ))}
                </select>
                <input
                  ref={finder}
                  className={styles.chip}
                  type="search"
                  aria-label="find a pod"
                  placeholder="find (f)"
                  value={find}
                  onChange={(event) => setOptions({ find: event.target.value, object: '' }, false)}
                  onKeyDown={(event) => event.key === 'Escape' && event.currentTarget.blur()}
                />
                <button type="button" className={styles.chip} onClick={() => saveCsv('pods', csvOf(answer))}>
                  save
                </button>
              </>
            )}
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {options.kind !== ''
          ? `All of kind ${options.kind}`
          : answer
            ? podsSentence(answer)
            : found.error
              ? 'No answer'
              : 'Looking at the pods …'}
      </h1>
      {found.error && !answer && (
        <Emptiness
          title="Pods cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && options.kind !== '' && (
        <div className={styles.page}>
          <ObjectTable
            kind={options.kind}
            fields={options.fields}
            chosen={chosen}
            open={(id) => setOptions({ object: id }, false)}
            setFields={(fields) => setOptions({ fields })}
          />
        </div>
      )}
      {answer && options.kind === '' && answer.total === 0 && (
        <Emptiness
          title="No pod is known at the end of this window"
          words="Pods are known from the inventory: ./dusk collect objects reads object files as cluster tools write them, once or as they change."
          actions={[{ label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) }]}
        />
      )}
      {answer && options.kind === '' && answer.total > 0 && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <div className={pods.patterns}>
            {answer.patterns.map((it) => (
              <button
                key={it.pattern}
                type="button"
                className={pods.pattern}
                data-there={it.pods > 0}
                aria-pressed={pattern === it.pattern}
                onClick={() => setOptions({ pattern: pattern === it.pattern ? '' : it.pattern, object: '' })}
              >
                <StateGlyph
                  state={
                    it.pods === 0 ? 'calm' : it.pattern === 'held back' || it.pattern === 'not ready' ? 'strained' : 'failing'
                  }
                  word=""
                />
                <b>{PATTERN_WORDS[it.pattern]}</b>
                <small>
                  {it.pods === 0
                    ? 'none'
                    : it.names.join(', ') + (it.pods > it.names.length ? ` and ${it.pods - it.names.length} more` : '')}
                </small>
              </button>
            ))}
          </div>
          {listed.length === 0 ? (
            <Emptiness
              title="No pod fits"
              words={`${answer.total} pods are there; none has what you narrowed to.`}
              actions={[{ label: 'All pods', act: () => setOptions({ pattern: '', label: '', machine: '', find: '' }) }]}
            />
          ) : (
            <PodTable answer={answer} by={options.by} chosen={chosen} choose={(id) => setOptions({ object: id }, false)} />
          )}
          {object.data && <ObjectPictures object={object.data} open={(id) => setOptions({ object: id })} />}
        </div>
      )}
    </Frame>
  );
}

function csvOf({ pods: rows }: MachinePods) {
  const head = [
    'pod',
    'service',
    'stands on',
    'host',
    'image',
    'ready',
    'phase',
    'restarts',
    'killed',
    'cores',
    'cores requested',
    'cores limit',
    'memory',
    'memory requested',
    'memory limit',
    'patterns',
  ];
  return [
    head,
    ...rows.map((it) => [
      it.name,
      it.service,
      it.standsOn,
      it.host,
      it.image,
      String(it.ready),
      it.phase,
      it.restarts,
      it.killed,
      it.cpu.now,
      it.cpu.request,
      it.cpu.limit,
      it.memory.now,
      it.memory.request,
      it.memory.limit,
      it.patterns.join(', '),
    ]),
  ];
}
