import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import type { VisitorsFirst } from './VisitorsFrame.tsx';
import { VisitsPage } from './VisitsPage.tsx';

export default function VisitsIsland({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  return (
    <Island start={start}>
      <VisitsPage start={start} first={first} />
    </Island>
  );
}
