import { isAtLeast } from '../../core/accounts/role.ts';
import { useWho } from '../../ui/state/who.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';

const OWN = [['/account', 'Your account']] as const;
const OF_ALL = [
  ['/people', 'People'],
  ['/people/provider', 'Sign-in'],
  ['/people/audit', 'What was done'],
] as const;

export function AccountTabs({ here }: { here: (typeof OWN | typeof OF_ALL)[number][0] }) {
  const who = useWho();
  const tabs = !who || isAtLeast(who.role, 'administrator') ? [...OWN, ...OF_ALL] : OWN;
  return <PageTabs label="Accounts" tabs={tabs} here={here} />;
}
