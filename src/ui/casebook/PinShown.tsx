import { Menu } from '@mantine/core';
import { useState } from 'react';
import type { ShownData } from '../table/tableColumn.ts';
import { shownEvidence } from './shownEvidence.ts';
import { usePinning } from './usePinning.ts';

/** The item of a picture's or table's menu that pins it as it is drawn. */
export function PinShown({
  kind,
  data,
}: {
  kind: 'picture' | 'table';
  data: () => Pick<ShownData, 'title' | 'columns' | 'rows'>;
}) {
  const { id, pinIt, isBusy } = usePinning();
  const [said, setSaid] = useState('');
  const pin = async () => {
    const shown = data();
    try {
      const it = await pinIt({
        kind,
        what: shown.title,
        said: shown.title,
        of: 'narrowed',
        given: [shownEvidence(shown)],
      });
      setSaid(`pinned to case ${it.id}`);
    } catch (error) {
      setSaid(`not pinned: ${(error as Error).message}`);
    }
  };
  return (
    <Menu.Item closeMenuOnClick={false} disabled={isBusy} onClick={() => void pin()}>
      <span role="status">{said || (id === undefined ? 'pin to a new case' : `pin to case ${id}`)}</span>
    </Menu.Item>
  );
}
