import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type FailuresFirst, FailuresPage } from './FailuresPage.tsx';

export default function FailuresIsland({ start, first }: { start: IslandStart; first: FailuresFirst }) {
  return (
    <Island start={start}>
      <FailuresPage start={start} first={first} />
    </Island>
  );
}
