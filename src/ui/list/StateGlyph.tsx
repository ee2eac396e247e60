/** calm: nothing wrong; strained: something inside failed, the request did not; failing: the request failed. */
export type State = 'calm' | 'perhaps' | 'strained' | 'failing' | 'unknown';

const WORDS: Record<State, string> = {
  calm: 'fine',
  perhaps: 'perhaps worse',
  strained: 'a part failed',
  failing: 'failed',
  unknown: 'too little to say',
};

/** A state by shape and colour: hollow ring, half-filled diamond, crossed square. */
/** `word` is what it is read as; nothing when the words beside it say it already. */
export function StateGlyph({ state, word = WORDS[state] }: { state: State; word?: string }) {
  return (
    // biome-ignore lint/a11y/noSvgWithoutTitle: it has one unless the words beside it say the same
    <svg
      width="13"
      height="13"
      viewBox="0 0 14 14"
      {...(word === '' ? { 'aria-hidden': true } : { role: 'img', 'aria-label': word })}
    >
      {word !== '' && <title>{word}</title>}
      {state === 'calm' && <circle cx="7" cy="7" r="4.2" fill="none" stroke="var(--calm)" strokeWidth="1.6" />}
      {state === 'perhaps' && (
        <path d="M7 1.2 12.8 7 7 12.8 1.2 7Z" fill="none" stroke="var(--strained)" strokeWidth="1.5" strokeDasharray="1.6 2.1" />
      )}
      {state === 'strained' && (
        <>
          <path d="M7 1.2 12.8 7 7 12.8 1.2 7Z" fill="none" stroke="var(--strained)" strokeWidth="1.5" />
          <path d="M7 1.2V12.8L1.2 7Z" fill="var(--strained)" />
        </>
      )}
      {state === 'unknown' && <path d="M3 7h8" stroke="var(--unknown)" strokeWidth="1.8" />}
      {state === 'failing' && (
        <>
          <rect x="1.2" y="1.2" width="11.6" height="11.6" rx="1.5" fill="var(--failing)" />
          <path d="M4.5 4.5l5 5m0-5l-5 5" stroke="var(--ground)" strokeWidth="1.7" />
        </>
      )}
    </svg>
  );
}
