import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type ConnectFirst, ConnectPage } from './ConnectPage.tsx';

export default function ConnectIsland({ start, first }: { start: IslandStart; first: ConnectFirst }) {
  return (
    <Island start={start}>
      <ConnectPage start={start} first={first} />
    </Island>
  );
}
