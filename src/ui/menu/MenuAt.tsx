import { lazy, Suspense } from 'react';
import type { OpenMenuProps } from './OpenMenu.tsx';

const OpenMenu = lazy(() => import('./OpenMenu.tsx'));

/** A menu that is open at an element. What draws menus is loaded when the first is opened. */
export function MenuAt(props: OpenMenuProps) {
  return (
    <Suspense>
      <OpenMenu {...props} />
    </Suspense>
  );
}
