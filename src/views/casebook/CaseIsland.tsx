import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type CaseFirst, CasePage } from './CasePage.tsx';

export default function CaseIsland({ start, first }: { start: IslandStart; first: CaseFirst }) {
  return (
    <Island start={start}>
      <CasePage start={start} first={first} />
    </Island>
  );
}
