import { Modal } from '@mantine/core';
import styles from './KeyList.module.css';

const KEYS: readonly (readonly [string, readonly (readonly [string, string])[]])[] = [
  [
    'Everywhere',
    [
      ['/', 'ask: an id, a header, a name, a piece of an error'],
      ['g n', 'go to Now'],
      ['g m', 'go to the Map'],
      ['g f', 'go to Failures'],
      ['g t', 'go to Traces'],
      ['g i', 'go to Intake'],
      ['[ ]', 'move the lit window back, on'],
      ['- =', 'widen, narrow the lit window'],
      ['b', 'another before window'],
      ['?', 'this list'],
    ],
  ],
  [
    'In lists',
    [
      ['j k', 'next, former row'],
      ['Enter', 'open it'],
      ['Esc', 'let go of it'],
    ],
  ],
  [
    'On the map',
    [
      ['→ ←', 'along the busiest call, to the busiest caller'],
      ['↑ ↓', 'to the next plate above, below'],
      ['Enter', 'open the page of it'],
      ['f', 'find a service'],
      ['t', 'the same as a table'],
    ],
  ],
  [
    'In a trace',
    [
      ['j k ↓ ↑', 'next, former row'],
      ['→ ←', 'open, close; or to the child, the parent'],
      [', .', 'back, on along the critical path'],
      ['f', 'next failing span'],
      ['s', 'search in it; in the list of traces, the line of text'],
      ['n N', 'next, former span that was found'],
      ['z 0', 'zoom to the span, to the whole'],
      ['PageUp PageDown', 'fifteen rows back, on'],
      ['Home End', 'first, last row'],
      ['Esc', 'back to the list'],
    ],
  ],
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
