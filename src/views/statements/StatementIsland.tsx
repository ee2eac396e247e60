import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type StatementFirst, StatementPage } from './StatementPage.tsx';

export default function StatementIsland({ start, first }: { start: IslandStart; first: StatementFirst }) {
  return (
    <Island start={start}>
      <StatementPage start={start} first={first} />
    </Island>
  );
}
