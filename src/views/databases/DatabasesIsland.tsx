import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type DatabasesFirst, DatabasesPage } from './DatabasesPage.tsx';

export default function DatabasesIsland({ start, first }: { start: IslandStart; first: DatabasesFirst }) {
  return (
    <Island start={start}>
      <DatabasesPage start={start} first={first} />
    </Island>
  );
}
