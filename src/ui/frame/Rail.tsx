import { IconInbox, IconSunset2, IconTimeline, IconTopologyStar3 } from '@tabler/icons-react';
import type { ComponentType } from 'react';
import { usePageUrl } from '../state/pageUrl.ts';
import styles from './Rail.module.css';

interface Room {
  readonly path: string;
  readonly name: string;
  /** Paths of further pages that belong to it. */
  readonly also?: readonly string[];
  readonly icon: ComponentType<{ size: number; stroke: number }>;
}

/** The pages there are. One is listed when it works. */
const ROOMS: readonly Room[] = [
  { path: '/now', name: 'Now', icon: IconSunset2 },
  { path: '/map', name: 'Map', also: ['/services/', '/peers/'], icon: IconTopologyStar3 },
  { path: '/traces', name: 'Traces', icon: IconTimeline },
  { path: '/intake', name: 'Intake', icon: IconInbox },
];

export function Rail({ href }: { href: (path: string) => string }) {
  const here = usePageUrl();
  return (
    <nav className={styles.rail} aria-label="Pages">
      <a className={styles.mark} href={href('/now')} suppressHydrationWarning>
        <span className="unseen">Dusk Lantern</span>
        <svg viewBox="0 0 32 32" width="30" height="30" fill="none" stroke="currentColor" strokeWidth="1.6" aria-hidden="true">
          <path d="M16 4v4M11 10h10l2 13H9zM8 26h16" strokeLinejoin="round" strokeLinecap="round" />
          <circle className={styles.flame} cx="16" cy="17" r="2.6" stroke="none" />
        </svg>
      </a>
      {ROOMS.map(({ path, name, also = [], icon: Icon }) => (
        <a
          key={path}
          className={styles.room}
          href={href(path)}
          aria-current={[path, ...also].some((it) => here.startsWith(it)) ? 'page' : undefined}
          suppressHydrationWarning
        >
          <Icon size={17} stroke={1.6} />
          {name}
        </a>
      ))}
    </nav>
  );
}
