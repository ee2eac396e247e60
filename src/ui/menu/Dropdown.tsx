import { lazy, Suspense } from 'react';
import type { OpenDropdownProps } from './OpenDropdown.tsx';

const OpenDropdown = lazy(() => import('./OpenDropdown.tsx'));

interface DropdownProps extends Omit<OpenDropdownProps, 'position'>, Partial<Pick<OpenDropdownProps, 'position'>> {
  readonly isOpen: boolean;
}

/** What opens at a button, with the focus kept within. What draws it is loaded when the first is opened. */
export function Dropdown({ isOpen, at, position = 'bottom-start', close, ...rest }: DropdownProps) {
  if (!isOpen) return null;
  const leave = () => {
    at.current?.focus({ preventScroll: true });
    close();
  };
  return (
    <Suspense>
      <OpenDropdown at={at} position={position} close={leave} {...rest} />
    </Suspense>
  );
}
