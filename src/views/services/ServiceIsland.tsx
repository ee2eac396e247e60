import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type ServiceFirst, ServicePage } from './ServicePage.tsx';

export default function ServiceIsland({ start, first }: { start: IslandStart; first: ServiceFirst }) {
  return (
    <Island start={start}>
      <ServicePage start={start} first={first} />
    </Island>
  );
}
