import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type FindingsFirst, FindingsPage } from './FindingsPage.tsx';

export default function FindingsIsland({ start, first }: { start: IslandStart; first: FindingsFirst }) {
  return (
    <Island start={start}>
      <FindingsPage start={start} first={first} />
    </Island>
  );
}
