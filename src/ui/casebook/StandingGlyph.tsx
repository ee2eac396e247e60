import type { Standing } from '../../core/casebook/caseContent.ts';

/** How a hypothesis stands, by shape and colour; the word beside it says the same. */
export function StandingGlyph({ standing }: { standing: Standing }) {
  const shape = 'M7 1.2 12.8 7 7 12.8 1.2 7Z';
  return (
    <svg width="14" height="14" viewBox="0 0 14 14" aria-hidden="true">
      {standing === 'holds' && (
        <>
          <path d={shape} fill="var(--lit)" />
          <path d="M4.4 7.2l1.9 1.9 3.4-4" fill="none" stroke="var(--lit-ink)" strokeWidth="1.5" />
        </>
      )}
      {standing === 'ruled out' && (
        <>
          <path d={shape} fill="none" stroke="var(--unknown)" strokeWidth="1.3" />
          <path d="M1.2 7h11.6" stroke="var(--unknown)" strokeWidth="1.3" />
        </>
      )}
      {standing === 'open' && <path d={shape} fill="none" stroke="var(--strained)" strokeWidth="1.4" strokeDasharray="1.6 2.1" />}
    </svg>
  );
}
