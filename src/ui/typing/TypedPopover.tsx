import { type ReactNode, useRef, useState } from 'react';
import { Dropdown } from '../menu/Dropdown.tsx';
import styles from './TypedPopover.module.css';

interface TypedPopoverProps {
  /** What the button that opens it says. */
  readonly button: ReactNode;
  readonly buttonClass?: string;
  readonly title?: string;
  readonly label: string;
  readonly placeholder: string;
  /** Takes what was typed; what it returns is why it cannot. */
  readonly take: (typed: string) => string | undefined;
  /** What stands below the line: hints, or choices that `close` when taken. */
  readonly below: (close: () => void) => ReactNode;
  readonly wide?: boolean;
  readonly onOpen?: (open: boolean) => void;
  readonly onType?: (typed: string) => void;
}

/** A button that opens into a line to type in, and what can be chosen instead. */
export function TypedPopover(props: TypedPopoverProps) {
  const { button, buttonClass, title, label, placeholder, take, below, wide = false, onOpen, onType } = props;
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const [error, setError] = useState<string>();
  const close = () => {
    setText('');
    onType?.('');
    setError(undefined);
    setOpen(false);
    onOpen?.(false);
  };
  const begin = () => {
    setOpen(true);
    onOpen?.(true);
  };
  const at = useRef<HTMLButtonElement>(null);
  return (
    <>
      <button
        ref={at}
        type="button"
        className={buttonClass}
        title={title}
        aria-expanded={open}
        onClick={() => (open ? close() : begin())}
        suppressHydrationWarning
      >
        {button}
      </button>
      <Dropdown at={at} isOpen={open} close={close}>
        <form
          className={styles.form}
          data-wide={wide}
          onSubmit={(event) => {
            event.preventDefault();
            if (text.trim() === '') return;
            const why = take(text.trim());
            if (why) setError(why);
            else close();
          }}
        >
          <label>
            {label}
            <input
              data-autofocus
              className={styles.input}
              value={text}
              placeholder={placeholder}
              spellCheck={false}
              onChange={(event) => {
                setText(event.target.value);
                onType?.(event.target.value);
                setError(undefined);
              }}
            />
          </label>
          {error && <p role="alert">{error}</p>}
          {below(close)}
        </form>
      </Dropdown>
    </>
  );
}
