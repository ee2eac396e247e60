import { useState } from 'react';
import type { MachineImages } from '../../api/machines/images.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { MACHINE_TABS, podPath } from '../../ui/machines/machinePaths.ts';
import { useImages } from '../../ui/queries/machines.ts';
import { saveCsv } from '../../ui/save/csv.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import styles from './Machines.module.css';
import type { SeriesFirst } from './ReservedPage.tsx';

type Weakness = MachineImages['weaknesses'][number];

/** Known weaknesses of the images that run, the most widely used first. */
export function ImagesPage({ start, first }: { start: IslandStart; first: SeriesFirst }) {
  const { scope, change } = useScope();
  const found = useImages(scope);
  const answer = found.data;
  const [key, setKey] = useState('');
  const listed = answer?.weaknesses ?? [];
  const chosen = listed.find((it) => keyOf(it) === key) ?? listed[0];
  const step = (by: number) => {
    const next = chosen && listed[Math.min(Math.max(listed.indexOf(chosen) + by, 0), listed.length - 1)];
    if (next) setKey(keyOf(next));
  };
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
  ]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel="Weakness"
      inspector={answer && chosen ? <WeaknessAside weakness={chosen} answer={answer} /> : undefined}
    >
      <header className={styles.head}>
        <PageTabs label="Machines" tabs={MACHINE_TABS} here="/machines/images" />
        {answer && answer.images.length > 0 && (
          <span className="dim">
            {answer.images.length} images run, {answer.images.filter(({ parts }) => parts !== null).length} with a bill of
            materials ·{' '}
            <button type="button" className={styles.chip} onClick={() => saveCsv('weaknesses', csvOf(answer))}>
              save as CSV
            </button>
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {answer ? imagesSentence(answer) : found.error ? 'No answer' : 'Reading what images are made of …'}
      </h1>
      {found.error && !answer && (
        <Emptiness
          title="Images cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && answer.images.length === 0 && (
        <Emptiness
          title="No image is known to run at the end of this window"
          words="Images are known from the pods of the inventory; what they are made of from CycloneDX, SPDX and OpenVEX files that ./dusk collect objects is given."
          actions={[{ label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) }]}
        />
      )}
      {answer && answer.images.length > 0 && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label="Weaknesses and images">
          <table className={styles.table}>
            <thead>
              <tr>
                <th />
                <th>known weakness</th>
                <th>in</th>
                <th>severity</th>
                <th className={styles.number}>score</th>
                <th className={styles.number}>pods it affects</th>
                <th>what it is</th>
              </tr>
            </thead>
            <tbody>
              {listed.map((it) => (
                <tr key={keyOf(it)} data-chosen={it === chosen} onClick={() => setKey(keyOf(it))}>
                  <td>
                    <StateGlyph state={glyphOf(it)} word={it.pods === 0 ? 'affects no pod' : it.severity} />
                  </td>
                  <td>
                    <button type="button" className={styles.strong} onClick={() => setKey(keyOf(it))}>
                      {it.id}
                    </button>
                  </td>
                  <td>{it.part}</td>
                  <td>{it.severity}</td>
                  <td className={styles.number}>{it.score || '–'}</td>
                  <td className={styles.number}>{it.pods}</td>
                  <td className="dim">{it.what}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <table className={styles.table}>
            <thead>
              <tr>
                <th />
                <th>image</th>
                <th className={styles.number}>pods</th>
                <th className={styles.number}>parts</th>
                <th className={styles.number}>critical</th>
                <th className={styles.number}>high</th>
                <th className={styles.number}>others</th>
                <th className={styles.number}>harmless here</th>
              </tr>
            </thead>
            <tbody>
              {answer.images.map((it) => (
                <tr key={it.image}>
                  <td>
                    <StateGlyph
                      state={
                        it.fault !== '' || it.parts === null
                          ? 'unknown'
                          : it.affected.critical > 0
                            ? 'failing'
                            : it.affected.high > 0
                              ? 'strained'
                              : 'calm'
                      }
                      word={it.fault || (it.parts === null ? 'no bill of materials' : 'read')}
                    />
                  </td>
                  <td>
                    {it.image}
                    {it.fault && <span className={styles.bad}> {it.fault}</span>}
                  </td>
                  <td className={styles.number}>{it.pods.length}</td>
                  <td className={styles.number}>{it.parts ?? 'not known'}</td>
                  <td className={styles.number}>{it.affected.critical}</td>
                  <td className={styles.number}>{it.affected.high}</td>
                  <td className={styles.number}>{it.affected.medium + it.affected.low + it.affected.unknown}</td>
                  <td className={styles.number}>{it.assessed}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
    </Frame>
  );
}

function WeaknessAside({ weakness: it, answer }: { weakness: Weakness; answer: MachineImages }) {
  const { href } = useScope();
  const podsOf = new Map(answer.images.map(({ image, pods }) => [image, pods]));
  return (
    <div className={styles.aside}>
      <h2>{it.id}</h2>
      <p>
        {it.severity}
        {it.score > 0 && `, ${it.score} of 10`}, in {it.part}
      </p>
      <p>{it.what}</p>
      {it.advice && (
        <section>
          <h3>What is advised</h3>
          <p>{it.advice}</p>
        </section>
      )}
      <section>
        <h3>
          Where it runs <small>{it.pods} pods affected</small>
        </h3>
        <ul className={`${styles.pairs} ${styles.places}`}>
          {it.images.map(({ image, state, why }) => (
            <li key={image}>
              <StateGlyph state={state === 'affected' ? 'strained' : state === 'looked into' ? 'perhaps' : 'calm'} word={state} />
              <span>
                {image}
                <br />
                {(podsOf.get(image) ?? []).map((pod) => (
                  <a key={pod} href={href(podPath(pod))} suppressHydrationWarning>
                    {pod}{' '}
                  </a>
                ))}
                {state !== 'affected' && (
                  <span className="dim">
                    {state}
                    {why && `: ${why}`}
                  </span>
                )}
              </span>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}

const keyOf = ({ id, part }: Weakness) => `${id} ${part}`;

function glyphOf({ pods, severity }: Weakness) {
  if (pods === 0) return 'calm' as const;
  return severity === 'critical' ? ('failing' as const) : ('strained' as const);
}

function imagesSentence({ images, weaknesses }: MachineImages): string {
  if (images.length === 0) return 'No image is known';
  const open = weaknesses.filter(({ pods }) => pods > 0);
  const [first] = open;
  if (images.every(({ parts }) => parts === null))
    return `${images.length} images run, and of none it is known what it is made of`;
  if (!first) return 'No known weakness affects an image that runs';
  return `${open.length} known ${open.length === 1 ? 'weakness affects' : 'weaknesses affect'} what runs; ${first.id} in ${first.part} is in ${first.pods} pods`;
}

function csvOf({ weaknesses }: MachineImages) {
  return [
    ['weakness', 'part', 'severity', 'score', 'image', 'state', 'why', 'pods'],
    ...weaknesses.flatMap((it) =>
      it.images.map(({ image, state, why, pods }) => [it.id, it.part, it.severity, it.score, image, state, why, pods]),
    ),
  ];
}
