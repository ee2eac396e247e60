import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { ChecksPage } from './ChecksPage.tsx';
import type { VisitorsFirst } from './VisitorsFrame.tsx';

export default function ChecksIsland({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  return (
    <Island start={start}>
      <ChecksPage start={start} first={first} />
    </Island>
  );
}
