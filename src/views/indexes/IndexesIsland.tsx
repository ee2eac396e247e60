import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type IndexesFirst, IndexesPage } from './IndexesPage.tsx';

export default function IndexesIsland({ start, first }: { start: IslandStart; first: IndexesFirst }) {
  return (
    <Island start={start}>
      <IndexesPage start={start} first={first} />
    </Island>
  );
}
