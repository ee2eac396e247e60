import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type ContrastFirst, ContrastPage } from './ContrastPage.tsx';

export default function ContrastIsland({ start, first }: { start: IslandStart; first: ContrastFirst }) {
  return (
    <Island start={start}>
      <ContrastPage start={start} first={first} />
    </Island>
  );
}
