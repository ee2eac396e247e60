import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import type { BenchFirst } from './first.ts';
import { SetUpPage } from './SetUpPage.tsx';
import { TrialPage } from './TrialPage.tsx';

export default function PlanBenchIsland({ start, first }: { start: IslandStart; first: BenchFirst }) {
  return (
    <Island start={start}>
      {first.trial === undefined ? (
        <SetUpPage start={start} first={first} />
      ) : (
        <TrialPage start={start} first={first} id={first.trial} />
      )}
    </Island>
  );
}
