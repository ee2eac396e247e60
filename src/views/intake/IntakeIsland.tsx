import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type IntakeFirst, IntakePage } from './IntakePage.tsx';

export default function IntakeIsland({ start, first }: { start: IslandStart; first: IntakeFirst }) {
  return (
    <Island start={start}>
      <IntakePage start={start} first={first} />
    </Island>
  );
}
