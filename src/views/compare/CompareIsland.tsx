import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type CompareFirst, ComparePage } from './ComparePage.tsx';

export default function CompareIsland({ start, first }: { start: IslandStart; first: CompareFirst }) {
  return (
    <Island start={start}>
      <ComparePage start={start} first={first} />
    </Island>
  );
}
