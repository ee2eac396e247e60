import { IconCopy } from '@tabler/icons-react';
import { useState } from 'react';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';

/** What is shown this once: a token, or a link that lets somebody in. */
export function Once({ what, text, close }: { what: string; text: string; close: () => void }) {
  const [copied, setCopied] = useState(false);
  const copy = () =>
    navigator.clipboard.writeText(text).then(
      () => setCopied(true),
      () => {},
    );
  return (
    <div className={styles.once} role="status">
      <span>{what}</span>
      <code>{text}</code>
      <button type="button" className={intake.action} onClick={() => void copy()}>
        <IconCopy size={14} /> {copied ? 'Copied' : 'Copy'}
      </button>
      <button type="button" className={intake.action} onClick={close}>
        I have it
      </button>
    </div>
  );
}
