import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type LayersFirst, LayersPage } from './LayersPage.tsx';

export default function LayersIsland({ start, first }: { start: IslandStart; first: LayersFirst }) {
  return (
    <Island start={start}>
      <LayersPage start={start} first={first} />
    </Island>
  );
}
