import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type SenderTokensFirst, SenderTokensPage } from './SenderTokensPage.tsx';

export default function SenderTokensIsland({ start, first }: { start: IslandStart; first: SenderTokensFirst }) {
  return (
    <Island start={start}>
      <SenderTokensPage start={start} first={first} />
    </Island>
  );
}
