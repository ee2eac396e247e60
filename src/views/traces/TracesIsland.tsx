import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type TracesFirst, TracesPage } from './TracesPage.tsx';

export default function TracesIsland({ start, first }: { start: IslandStart; first: TracesFirst }) {
  return (
    <Island start={start}>
      <TracesPage start={start} first={first} />
    </Island>
  );
}
