import { PageTabs } from '../../ui/tabs/PageTabs.tsx';

const TABS = [
  ['/now', 'Journeys'],
  ['/now/services', 'Services'],
  ['/now/failures', 'Failures'],
  ['/now/incidents', 'Incidents'],
] as const;

export function NowTabs({ here }: { here: (typeof TABS)[number][0] }) {
  return <PageTabs label="Now" tabs={TABS} here={here} />;
}
