import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type VersionsFirst, VersionsPage } from './VersionsPage.tsx';

export default function VersionsIsland({ start, first }: { start: IslandStart; first: VersionsFirst }) {
  return (
    <Island start={start}>
      <VersionsPage start={start} first={first} />
    </Island>
  );
}
