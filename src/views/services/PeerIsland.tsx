import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type PeerFirst, PeerPage } from './PeerPage.tsx';

export default function PeerIsland({ start, first }: { start: IslandStart; first: PeerFirst }) {
  return (
    <Island start={start}>
      <PeerPage start={start} first={first} />
    </Island>
  );
}
