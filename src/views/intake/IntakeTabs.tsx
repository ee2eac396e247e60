import { useScope } from '../../ui/state/scopeState.ts';
import styles from './Intake.module.css';

const TABS = [
  ['/intake', 'What comes in'],
  ['/intake/connect', 'Connect a system'],
  ['/intake/masking', 'Masking'],
] as const;

/** The pages about intake, the present one marked. */
export function IntakeTabs({ here }: { here: (typeof TABS)[number][0] }) {
  const { href } = useScope();
  return (
    <nav className={styles.tabs} aria-label="Intake">
      {TABS.map(([path, name]) => (
        <a key={path} href={href(path)} aria-current={path === here ? 'page' : undefined} suppressHydrationWarning>
          {name}
        </a>
      ))}
    </nav>
  );
}
