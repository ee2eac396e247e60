import { useScope } from '../state/scopeState.ts';
import styles from './PageTabs.module.css';

interface PageTabsProps {
  readonly label: string;
  readonly tabs: readonly (readonly [path: string, name: string])[];
  /** The path of the present one. */
  readonly here: string;
}

/** The pages that belong together, the present one marked. */
export function PageTabs({ label, tabs, here }: PageTabsProps) {
  const { href } = useScope();
  return (
    <nav className={styles.tabs} aria-label={label}>
      {tabs.map(([path, name]) => (
        <a key={path} href={href(path)} aria-current={path === here ? 'page' : undefined} suppressHydrationWarning>
          {name}
        </a>
      ))}
    </nav>
  );
}
