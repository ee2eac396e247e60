import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { ImagesPage } from './ImagesPage.tsx';
import type { SeriesFirst } from './ReservedPage.tsx';

export default function ImagesIsland({ start, first }: { start: IslandStart; first: SeriesFirst }) {
  return (
    <Island start={start}>
      <ImagesPage start={start} first={first} />
    </Island>
  );
}
