import { IconLink } from '@tabler/icons-react';
import { useRef, useState } from 'react';
import type { ShortLink } from '../../api/links/links.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { Dropdown } from '../menu/Dropdown.tsx';
import { sendJson } from '../queries/fetchJson.ts';
import { addressHere, useScope } from '../state/scopeState.ts';
import styles from './LinkButton.module.css';

type Outcome = { readonly link: string; readonly copied: boolean } | { readonly trouble: string };

/**
 * Makes a short link to what is shown and copies it. A window that follows the clock is held where it is: who opens the link tomorrow is to see
 * the same.
 */
export function LinkButton() {
  const { scope } = useScope();
  const [outcome, setOutcome] = useState<Outcome>();
  const make = async () => {
    try {
      const held = { ...scope, lit: { type: 'fixed' as const, ...windowAt(scope.lit, Date.now()) } };
      const { short } = await sendJson<ShortLink>('POST', '/api/links', { path: addressHere(held) });
      const link = `${location.origin}${short}`;
      // A browser lets pages copy only where they come over a safe way; then the link is there to be copied by hand.
      const copied = await (navigator.clipboard?.writeText(link) ?? Promise.reject(new Error('not allowed'))).then(
        () => true,
        () => false,
      );
      setOutcome({ link, copied });
    } catch (error) {
      setOutcome({ trouble: (error as Error).message });
    }
  };
  const title = 'Short link to what is shown';
  const at = useRef<HTMLButtonElement>(null);
  return (
    <>
      <button
        ref={at}
        type="button"
        className={styles.tool}
        aria-label={title}
        title={title}
        onClick={() => (outcome ? setOutcome(undefined) : void make())}
      >
        <IconLink size={17} stroke={1.6} />
      </button>
      <Dropdown
        at={at}
        isOpen={outcome !== undefined}
        close={() => setOutcome(undefined)}
        position="bottom-end"
        className={styles.drop}
      >
        {outcome && 'trouble' in outcome && <p role="alert">No link was made: {outcome.trouble}</p>}
        {outcome && 'link' in outcome && (
          <>
            <input readOnly value={outcome.link} aria-label="Short link" onFocus={(event) => event.target.select()} />
            <p role="status">{outcome.copied ? 'Copied.' : 'Copy it from here.'} Window and chips stay as they are now.</p>
          </>
        )}
      </Dropdown>
    </>
  );
}
