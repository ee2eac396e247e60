import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type StitchedFirst, StitchedPage } from './StitchedPage.tsx';

export default function StitchedIsland({ start, first }: { start: IslandStart; first: StitchedFirst }) {
  return (
    <Island start={start}>
      <StitchedPage start={start} first={first} />
    </Island>
  );
}
