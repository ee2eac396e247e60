import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type HostsFirst, HostsPage } from './HostsPage.tsx';

export default function HostsIsland({ start, first }: { start: IslandStart; first: HostsFirst }) {
  return (
    <Island start={start}>
      <HostsPage start={start} first={first} />
    </Island>
  );
}
