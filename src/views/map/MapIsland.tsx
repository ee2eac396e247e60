import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type MapFirst, MapPage } from './MapPage.tsx';

export default function MapIsland({ start, first }: { start: IslandStart; first: MapFirst }) {
  return (
    <Island start={start}>
      <MapPage start={start} first={first} />
    </Island>
  );
}
