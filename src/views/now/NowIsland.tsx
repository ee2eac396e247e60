import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type NowFirst, NowPage } from './NowPage.tsx';

export default function NowIsland({ start, first }: { start: IslandStart; first: NowFirst }) {
  return (
    <Island start={start}>
      <NowPage start={start} first={first} />
    </Island>
  );
}
