import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type MaskingFirst, MaskingPage } from './MaskingPage.tsx';

export default function MaskingIsland({ start, first }: { start: IslandStart; first: MaskingFirst }) {
  return (
    <Island start={start}>
      <MaskingPage start={start} first={first} />
    </Island>
  );
}
