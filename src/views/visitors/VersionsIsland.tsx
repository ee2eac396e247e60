import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { VersionsPage } from './VersionsPage.tsx';
import type { VisitorsFirst } from './VisitorsFrame.tsx';

export default function VersionsIsland({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  return (
    <Island start={start}>
      <VersionsPage start={start} first={first} />
    </Island>
  );
}
