import { IconUserCircle } from '@tabler/icons-react';
import { PAGES } from '../pages/registry.ts';
import { usePageUrl } from '../state/pageUrl.ts';
import { useWho } from '../state/who.ts';
import styles from './Rail.module.css';

export function Rail({ href }: { href: (path: string) => string }) {
  const here = usePageUrl();
  const who = useWho();
  return (
    <nav className={styles.rail} aria-label="Pages">
      <a className={styles.mark} href={href('/now')} suppressHydrationWarning>
        <span className="unseen">Dusk Lantern</span>
        <svg viewBox="0 0 32 32" width="30" height="30" fill="none" stroke="currentColor" strokeWidth="1.6" aria-hidden="true">
          <path d="M16 4v4M11 10h10l2 13H9zM8 26h16" strokeLinejoin="round" strokeLinecap="round" />
          <circle className={styles.flame} cx="16" cy="17" r="2.6" stroke="none" />
        </svg>
      </a>
      {PAGES.map(
        ({ path, name, also = [], icon: Icon }) =>
          Icon && (
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
          ),
      )}
      {who && (
        <a
          className={`${styles.room} ${styles.who}`}
          href={href('/account')}
          title={`${who.name}, ${who.role}`}
          aria-current={here.startsWith('/account') || here.startsWith('/people') ? 'page' : undefined}
          suppressHydrationWarning
        >
          <IconUserCircle size={17} stroke={1.6} />
          You
        </a>
      )}
    </nav>
  );
}
