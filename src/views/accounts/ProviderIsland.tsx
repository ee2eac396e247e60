import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type ProviderFirst, ProviderPage } from './ProviderPage.tsx';

export default function ProviderIsland({ start, first }: { start: IslandStart; first: ProviderFirst }) {
  return (
    <Island start={start}>
      <ProviderPage start={start} first={first} />
    </Island>
  );
}
