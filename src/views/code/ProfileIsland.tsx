import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type ProfileFirst, ProfilePage } from './ProfilePage.tsx';

export default function ProfileIsland({ start, first }: { start: IslandStart; first: ProfileFirst }) {
  return (
    <Island start={start}>
      <ProfilePage start={start} first={first} />
    </Island>
  );
}
