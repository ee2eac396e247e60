import { Island, type IslandStart } from '../../../ui/islands/Island.tsx';
import type { VisitorsFirst } from '../VisitorsFrame.tsx';
import { PagesPage } from './PagesPage.tsx';

export default function PagesIsland({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  return (
    <Island start={start}>
      <PagesPage start={start} first={first} />
    </Island>
  );
}
