import { Island, type IslandStart } from '../../../ui/islands/Island.tsx';
import type { VisitorsFirst } from '../VisitorsFrame.tsx';
import { StepsPage } from './StepsPage.tsx';

export default function StepsIsland({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  return (
    <Island start={start}>
      <StepsPage start={start} first={first} />
    </Island>
  );
}
