import { Island, type IslandStart } from '../../../ui/islands/Island.tsx';
import { type PodsFirst, PodsPage } from './PodsPage.tsx';

export default function PodsIsland({ start, first }: { start: IslandStart; first: PodsFirst }) {
  return (
    <Island start={start}>
      <PodsPage start={start} first={first} />
    </Island>
  );
}
