import { Island, type IslandStart } from '../../ui/islands/Island.tsx';
import { type AccountFirst, AccountPage } from './AccountPage.tsx';

export default function AccountIsland({ start, first }: { start: IslandStart; first: AccountFirst }) {
  return (
    <Island start={start}>
      <AccountPage start={start} first={first} />
    </Island>
  );
}
