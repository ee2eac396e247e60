import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type CasebookFirst, CasebookPage } from './CasebookPage.tsx';

export default function CasebookIsland({ start, first }: { start: IslandStart; first: CasebookFirst }) {
  return (
    <Island start={start}>
      <CasebookPage start={start} first={first} />
    </Island>
  );
}
