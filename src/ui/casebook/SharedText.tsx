import { IconPencil } from '@tabler/icons-react';
import { useEffect, useRef, useState } from 'react';
import type * as Y from 'yjs';
import { useMay } from '../state/who.ts';
import styles from './Casebook.module.css';
import { Markdown, MarkdownLine } from './Markdown.tsx';

interface SharedTextProps {
  /** Undefined when somebody has removed what it belongs to. */
  readonly text: Y.Text | undefined;
  /** What it says now; given apart, so that what changes is drawn. */
  readonly value: string;
  readonly label: string;
  readonly hint: string;
  readonly isLong?: boolean;
  /** Names and titles are no Markdown. */
  readonly isPlain?: boolean;
  readonly className?: string;
  /** Whether it is being written already when it appears. */
  readonly isNew?: boolean;
}

/** A text that several people may write at once. It is read as it is, and written after a click or Enter. */
export function SharedText({
  text,
  value,
  label,
  hint,
  isLong = false,
  isPlain = false,
  className = '',
  isNew = false,
}: SharedTextProps) {
  const may = useMay('responder');
  const [isOpen, setOpen] = useState(isNew && may);
  const place = useRef<HTMLDivElement>(null);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    const parent = place.current;
    if (!isOpen || !text || !parent) return;
    let leave: (() => void) | undefined;
    let isGone = false;
    void import('./textEditor.ts').then(({ mountEditor }) => {
      if (isGone) return;
      const done = () => {
        setOpen(false);
        requestAnimationFrame(() => button.current?.focus());
      };
      leave = mountEditor({ parent, text, label, hint, isLong, done });
    });
    return () => {
      isGone = true;
      leave?.();
    };
  }, [isOpen, text, label, hint, isLong]);
  if (isOpen && text)
    return (
      // biome-ignore lint/a11y/noStaticElementInteractions: the editor within is the control; leaving it closes it
      <div
        ref={place}
        className={`${styles.editing} ${className}`}
        onBlur={(event) => {
          if (!event.currentTarget.contains(event.relatedTarget)) setOpen(false);
        }}
      />
    );
  const shown = value.trim();
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions lint/a11y/useKeyWithClickEvents: the button within is the way by keyboard
    <div
      className={`${styles.written} ${className}`}
      data-empty={shown === ''}
      onClick={(event) => {
        if (!may) return;
        // A link within the text is followed, and who marks some of it does not mean to write.
        if ((event.target as HTMLElement).closest('a') || getSelection()?.isCollapsed === false) return;
        setOpen(true);
      }}
    >
      {shown === '' ? may ? hint : '–' : isPlain ? shown : isLong ? <Markdown text={shown} /> : <MarkdownLine text={shown} />}
      {may && (
        <button ref={button} type="button" className={styles.pencil} aria-label={`Write: ${label}`} title="Write">
          <IconPencil size={13} stroke={1.6} />
        </button>
      )}
    </div>
  );
}
