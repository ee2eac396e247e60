import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { ReservedPage, type SeriesFirst } from './ReservedPage.tsx';

export default function ReservedIsland({ start, first }: { start: IslandStart; first: SeriesFirst }) {
  return (
    <Island start={start}>
      <ReservedPage start={start} first={first} />
    </Island>
  );
}
