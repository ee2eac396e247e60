import { Menu } from '@mantine/core';
import type { RefObject } from 'react';
import { PinShown } from '../casebook/PinShown.tsx';
import type { MenuEntry } from './menuEntry.ts';
import { TargetThere } from './TargetThere.tsx';

export interface OpenMenuProps {
  readonly entries: readonly MenuEntry[];
  /** What it opens at. */
  readonly at: RefObject<HTMLElement | null>;
  readonly position: 'bottom-start' | 'bottom-end';
  readonly width?: number;
  readonly close: () => void;
}

/** A menu that is open. A module of its own, loaded when the first is opened. */
export default function OpenMenu({ entries, at, position, width, close }: OpenMenuProps) {
  return (
    <Menu opened onChange={(open) => !open && close()} position={position} width={width} withinPortal={false}>
      <Menu.Target>
        <TargetThere at={at} />
      </Menu.Target>
      <Menu.Dropdown>
        {entries.map((it) => {
          if ('line' in it) return <Menu.Divider key={`above ${it.line}`} />;
          if ('heading' in it) return <Menu.Label key={it.heading}>{it.heading}</Menu.Label>;
          if ('pins' in it) return <PinShown key="pins" kind={it.pins} data={it.data} />;
          return (
            <Menu.Item key={it.key} onClick={it.act} disabled={it.disabled} closeMenuOnClick={it.stays !== true}>
              {it.words}
            </Menu.Item>
          );
        })}
      </Menu.Dropdown>
    </Menu>
  );
}
