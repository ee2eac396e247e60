import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type PeopleFirst, PeoplePage } from './PeoplePage.tsx';

export default function PeopleIsland({ start, first }: { start: IslandStart; first: PeopleFirst }) {
  return (
    <Island start={start}>
      <PeoplePage start={start} first={first} />
    </Island>
  );
}
