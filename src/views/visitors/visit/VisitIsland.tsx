import { Island, type IslandStart } from '../../../ui/islands/Island.tsx';
import type { VisitorsFirst } from '../VisitorsFrame.tsx';
import { VisitPage } from './VisitPage.tsx';

export default function VisitIsland({ start, first, session }: { start: IslandStart; first: VisitorsFirst; session: string }) {
  return (
    <Island start={start}>
      <VisitPage start={start} first={first} session={session} />
    </Island>
  );
}
