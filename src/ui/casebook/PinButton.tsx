import { useState } from 'react';
import { OnlyFor } from '../access/OnlyFor.tsx';
import bar from '../frame/ScopeBar.module.css';
import { usePageKeys } from '../keys/pageKeys.ts';
import { MenuButton } from '../menu/MenuButton.tsx';
import type { MenuEntry } from '../menu/menuEntry.ts';
import { useCases } from '../queries/casebook.ts';
import { useScope } from '../state/scopeState.ts';
import styles from './Casebook.module.css';
import { openCase } from './openCase.ts';
import { useOffered } from './pinnables.ts';
import { usePinning } from './usePinning.ts';

type Outcome = { readonly id: number; readonly words: string } | { readonly trouble: string };

/** How long it is said that something was pinned. */
const SAID_MS = 6_000;
const MOST_CASES = 4;

/** Pins what the page shows to the open case; without one, to a new one. `p` opens what there is to choose from. Who only reads has none. */
export function PinButton() {
  return (
    <OnlyFor least="responder">
      <Pinning />
    </OnlyFor>
  );
}

function Pinning() {
  const offered = useOffered();
  const { href } = useScope();
  const { id, pinIt, beginHere, isBusy } = usePinning();
  const [isOpen, setOpen] = useState(false);
  const [outcome, setOutcome] = useState<Outcome>();
  const cases = useCases({ enabled: isOpen });
  const others = (cases.data?.cases ?? []).filter((it) => it.id !== id && it.state !== 'closed').slice(0, MOST_CASES);

  const tell = async (work: () => Promise<Outcome>) => {
    try {
      const said = await work();
      setOutcome(said);
      setTimeout(() => setOutcome((now) => (now === said ? undefined : now)), SAID_MS);
    } catch (error) {
      setOutcome({ trouble: (error as Error).message });
    }
  };
  const take = (at: number) =>
    void tell(async () => {
      const it = await pinIt(offered[at]);
      return { id: it.id, words: it.isNew ? `Pinned to a new case: ${it.title}` : `Pinned: ${it.title}` };
    });
  const begin = () => void tell(async () => ({ id: (await beginHere()).id, words: 'A new case is open.' }));
  const press = () => (offered.length === 1 && id !== undefined ? take(0) : setOpen(true));
  usePageKeys([['p', press]]);
  const entries: MenuEntry[] = [
    { heading: id === undefined ? 'Pin to a new case' : `Pin to case ${id}` },
    ...(offered.length === 0 ? [{ key: 'nothing', words: 'nothing here can be pinned yet', act: () => {}, disabled: true }] : []),
    ...offered.map(({ kind, what }, at) => ({ key: `${kind} ${what}`, words: what, act: () => take(at), disabled: isBusy })),
    { line: 'cases' },
    { key: 'begin', words: 'begin another case here', act: begin, disabled: isBusy },
    ...others.map((it) => ({ key: `case ${it.id}`, words: `open case ${it.id}: ${it.title}`, act: () => openCase(it.id) })),
    ...(id === undefined
      ? []
      : [{ key: 'leave', words: `leave case ${id}: record no more steps`, act: () => openCase(undefined) }]),
  ];
  return (
    <div className={styles.pinning}>
      <MenuButton
        className={`${bar.tool} ${bar.wide}`}
        title={id === undefined ? 'Pin to a case' : `Pin to case ${id}`}
        isBusy={isBusy}
        entries={entries}
        width={300}
        opened={isOpen}
        onOpened={setOpen}
      >
        <b>Pin</b> <kbd className={styles.key}>p</kbd>
      </MenuButton>
      {outcome && (
        <p className={styles.toast} role={'trouble' in outcome ? 'alert' : 'status'}>
          {'trouble' in outcome ? (
            <>
              Not pinned: {outcome.trouble}{' '}
              <button type="button" onClick={() => setOutcome(undefined)}>
                close
              </button>
            </>
          ) : (
            <>
              {outcome.words} <a href={href(`/casebook/${outcome.id}`)}>Case {outcome.id}</a>
            </>
          )}
        </p>
      )}
    </div>
  );
}
