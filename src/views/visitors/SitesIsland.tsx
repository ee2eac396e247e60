import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { SitesPage } from './SitesPage.tsx';
import type { VisitorsFirst } from './VisitorsFrame.tsx';

export default function SitesIsland({ start, first, address }: { start: IslandStart; first: VisitorsFirst; address: string }) {
  return (
    <Island start={start}>
      <SitesPage start={start} first={first} address={address} />
    </Island>
  );
}
