import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type TraceFirst, TracePage } from './TracePage.tsx';

export default function TraceIsland({ start, first }: { start: IslandStart; first: TraceFirst }) {
  return (
    <Island start={start}>
      <TracePage start={start} first={first} />
    </Island>
  );
}
