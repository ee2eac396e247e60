import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type ServerFirst, ServerPage } from './ServerPage.tsx';

export default function ServerIsland({ start, first }: { start: IslandStart; first: ServerFirst }) {
  return (
    <Island start={start}>
      <ServerPage start={start} first={first} />
    </Island>
  );
}
