import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { PartiesPage } from './PartiesPage.tsx';
import type { VisitorsFirst } from './VisitorsFrame.tsx';

export default function PartiesIsland({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  return (
    <Island start={start}>
      <PartiesPage start={start} first={first} />
    </Island>
  );
}
