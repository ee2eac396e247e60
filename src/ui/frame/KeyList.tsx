import { Modal } from '@mantine/core';
import { PAGES } from '../pages/registry.ts';
import styles from './KeyList.module.css';

const KEYS: readonly (readonly [string, readonly (readonly [string, string])[]])[] = [
  [
    'Everywhere',
    [
      ['/', 'ask: an id, a header, a name, a piece of an error'],
      ...PAGES.flatMap(({ key, name }): [string, string][] => (key ? [[`g ${key}`, `go to ${name}`]] : [])),
      ['[ ]', 'move the lit window back, on'],
      ['- =', 'widen, narrow the lit window'],
      ['b', 'another before window'],
      ['p', 'pin something of this page to the case'],
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
  return (
    <Modal opened={shown} onClose={close} title="Keys" centered closeButtonProps={{ 'aria-label': 'Close' }}>
      {KEYS.map(([where, keys]) => (
        <section key={where} className={styles.group}>
          <h2>{where}</h2>
          <dl>
            {keys.map(([key, what]) => (
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
