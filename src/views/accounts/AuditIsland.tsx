import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type AuditFirst, AuditPage } from './AuditPage.tsx';

export default function AuditIsland({ start, first }: { start: IslandStart; first: AuditFirst }) {
  return (
    <Island start={start}>
      <AuditPage start={start} first={first} />
    </Island>
  );
}
