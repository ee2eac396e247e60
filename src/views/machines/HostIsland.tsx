import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type HostFirst, HostPage } from './HostPage.tsx';

export default function HostIsland({ start, first }: { start: IslandStart; first: HostFirst }) {
  return (
    <Island start={start}>
      <HostPage start={start} first={first} />
    </Island>
  );
}
