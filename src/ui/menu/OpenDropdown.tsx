import { Popover } from '@mantine/core';
import type { ReactNode, RefObject } from 'react';
import { TargetThere } from './TargetThere.tsx';

export interface OpenDropdownProps {
  /** What it opens at. */
  readonly at: RefObject<HTMLElement | null>;
  readonly position: 'bottom-start' | 'bottom-end';
  readonly className?: string;
  readonly close: () => void;
  readonly children: ReactNode;
}

/** What has opened at a button. A module of its own, loaded when the first is opened. */
export default function OpenDropdown({ at, position, className, close, children }: OpenDropdownProps) {
  return (
    <Popover opened onChange={(open) => !open && close()} position={position} shadow="md" trapFocus withinPortal={false}>
      <Popover.Target>
        <TargetThere at={at} />
      </Popover.Target>
      <Popover.Dropdown className={className}>{children}</Popover.Dropdown>
    </Popover>
  );
}
