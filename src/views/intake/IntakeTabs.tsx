import { PageTabs } from '../../ui/tabs/PageTabs.tsx';

const TABS = [
  ['/intake', 'What comes in'],
  ['/intake/connect', 'Connect a system'],
  ['/intake/masking', 'Masking'],
  ['/intake/tokens', 'Tokens of senders'],
] as const;

export function IntakeTabs({ here }: { here: (typeof TABS)[number][0] }) {
  return <PageTabs label="Intake" tabs={TABS} here={here} />;
}
