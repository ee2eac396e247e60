import { IconX } from '@tabler/icons-react';
import { lazy, Suspense, useState } from 'react';
import { OnlyFor } from '../access/OnlyFor.tsx';
import { usePageKeys } from '../keys/pageKeys.ts';
import { useCases } from '../queries/casebook.ts';
import styles from './Casebook.module.css';
import { openCase, useOpenCase } from './openCase.ts';
import { usePinning } from './usePinning.ts';

// Shared texts and Markdown are a good part of all script, and most pages are looked at without.
const OpenCase = lazy(() =>
  import('./OpenCase.tsx').then(
    (it) => ({ default: it.OpenCase }),
    () => ({ default: NotLoaded }),
  ),
);

function NotLoaded({ id }: { id: number }) {
  return (
    <>
      <h2>Case {id}</h2>
      <p role="alert">The drawer could not be loaded. Load the page again.</p>
    </>
  );
}

/** The open case beside every page: its log, what it could be, and the trail. `c` opens and closes it. */
export function CaseDrawer() {
  const [isShown, setShown] = useState(false);
  usePageKeys([['c', () => setShown(!isShown)]]);
  const id = useOpenCase();
  if (!isShown) return null;
  return (
    <aside className={styles.drawer} aria-label="The open case">
      <button
        type="button"
        className={styles.drawerClose}
        aria-label="Close the drawer"
        title="Close (c)"
        onClick={() => setShown(false)}
      >
        <IconX size={16} stroke={1.6} />
      </button>
      {id === undefined ? (
        <NoCase />
      ) : (
        <Suspense fallback={<h2>Case {id} …</h2>}>
          <OpenCase key={id} id={id} />
        </Suspense>
      )}
    </aside>
  );
}

function NoCase() {
  const cases = useCases();
  const { beginHere, isBusy } = usePinning();
  const [trouble, setTrouble] = useState('');
  const open = (cases.data?.cases ?? []).filter(({ state }) => state !== 'closed').slice(0, 8);
  return (
    <>
      <h2>No case is open</h2>
      <p className={styles.dim}>A case keeps what you find: pins, notes, what it could be, and the pages you looked at.</p>
      <OnlyFor least="responder">
        <button
          type="button"
          className={styles.main}
          disabled={isBusy}
          onClick={() => beginHere().catch((error: Error) => setTrouble(error.message))}
        >
          Begin a case here
        </button>
      </OnlyFor>
      {trouble !== '' && <p role="alert">{trouble}</p>}
      {open.length > 0 && <h3>Cases that are not closed</h3>}
      <ul className={styles.plain}>
        {open.map((it) => (
          <li key={it.id}>
            <button type="button" className={styles.quiet} onClick={() => openCase(it.id)}>
              {it.id} · {it.title}
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
