import type { SignKind } from '../../core/visits/struggle.ts';

/** A sign of struggle by its shape: knocks side by side, a ring of dots around nothing, an arrow that turns back. */
export function SignGlyph({ sign, size = 13 }: { sign: SignKind; size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 14 14" aria-hidden="true" fill="none" stroke="currentColor" strokeWidth="1.5">
      {sign === 'knocking' && <path d="M2 3v8M5.3 3v8M8.6 3v8M12 3v8" />}
      {sign === 'no answer' && <circle cx="7" cy="7" r="4.6" strokeDasharray="1.6 2" />}
      {sign === 'turned away' && <path d="M2 4h8.5v5H3.5m2.5-2.5L3.5 9 6 11.5" />}
    </svg>
  );
}
