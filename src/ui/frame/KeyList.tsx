import { Modal } from '@mantine/core';
import { PAGES } from '../pages/registry.ts';
import { useMay } from '../state/who.ts';
import styles from './KeyList.module.css';

/** Only who may write in a case can pin. */
const PIN = 'p';
const EVERYWHERE = 'Everywhere';

const KEYS: readonly (readonly [string, readonly (readonly [string, string])[]])[] = [
  [
    EVERYWHERE,
    [
      ['/', 'ask: an id, a header, a name, a piece of an error'],
      ...PAGES.flatMap(({ key, name }): [string, string][] => (key ? [[`g ${key}`, `go to ${name}`]] : [])),
      ['[ ]', 'move the lit window back, on'],
      ['- =', 'widen, narrow the lit window'],
      ['b', 'another before window'],
      [PIN, 'pin something of this page to the case'],
      ['c', 'the open case beside the page'],
      ['?', 'this list'],
    ],
  ],
  [
    'In lists',
    [
      ['j k', 'next, previous row'],
      ['Enter', 'open it'],
      ['Esc', 'clear the choice'],
    ],
  ],
  ...PAGES.flatMap(({ keys }) => (keys ? [keys] : [])),
];

export function KeyList({ shown, close }: { shown: boolean; close: () => void }) {
  const mayPin = useMay('responder');
  return (
    <Modal opened={shown} onClose={close} title="Keys" centered closeButtonProps={{ 'aria-label': 'Close' }}>
      {KEYS.map(([where, keys]) => (
        <section key={where} className={styles.group}>
          <h2>{where}</h2>
          <dl>
            {keys
              .filter(([key]) => mayPin || key !== PIN || where !== EVERYWHERE)
              .map(([key, what]) => (
                <div key={key}>
                  <dt className="mono">{key}</dt>
                  <dd>{what}</dd>
                </div>
              ))}
          </dl>
        </section>
      ))}
    </Modal>
  );
}
