import { Island, type IslandStart } from '../../../ui/islands/Island.tsx';
import { type RunningFirst, RunningPage } from './RunningPage.tsx';

export default function RunningIsland({ start, first }: { start: IslandStart; first: RunningFirst }) {
  return (
    <Island start={start}>
      <RunningPage start={start} first={first} />
    </Island>
  );
}
