import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type PoolsFirst, PoolsPage } from './PoolsPage.tsx';

export default function PoolsIsland({ start, first }: { start: IslandStart; first: PoolsFirst }) {
  return (
    <Island start={start}>
      <PoolsPage start={start} first={first} />
    </Island>
  );
}
