import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type LogsFirst, LogsPage } from './LogsPage.tsx';

export default function LogsIsland({ start, first }: { start: IslandStart; first: LogsFirst }) {
  return (
    <Island start={start}>
      <LogsPage start={start} first={first} />
    </Island>
  );
}
