import { type ReactNode, useRef, useState } from 'react';
import { MenuAt } from './MenuAt.tsx';
import type { OpenMenuProps } from './OpenMenu.tsx';

interface MenuButtonProps extends Pick<OpenMenuProps, 'entries' | 'width'>, Partial<Pick<OpenMenuProps, 'position'>> {
  readonly children: ReactNode;
  readonly className?: string;
  readonly label?: string;
  readonly title?: string;
  readonly isBusy?: boolean;
  /** Whether it is open, where its owner decides; by itself otherwise. */
  readonly opened?: boolean;
  readonly onOpened?: (open: boolean) => void;
}

/** A button with a menu. */
export function MenuButton(props: MenuButtonProps) {
  const { children, className, label, title, isBusy, opened, onOpened, entries, width, position = 'bottom-end' } = props;
  const button = useRef<HTMLButtonElement>(null);
  const [own, setOwn] = useState(false);
  const isOpen = opened ?? own;
  const open = (next: boolean) => {
    if (!next) button.current?.focus({ preventScroll: true });
    setOwn(next);
    onOpened?.(next);
  };
  return (
    <>
      <button
        ref={button}
        type="button"
        className={className}
        title={title}
        aria-label={label}
        aria-busy={isBusy}
        aria-haspopup="menu"
        aria-expanded={isOpen}
        onClick={() => open(!isOpen)}
      >
        {children}
      </button>
      {isOpen && <MenuAt entries={entries} at={button} position={position} width={width} close={() => open(false)} />}
    </>
  );
}
