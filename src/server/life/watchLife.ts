/** How often it is asked, and how long an answer may take. */
const ROUND_MS = 5_000;
const PATIENCE_MS = 4_000;
/** So many questions in a row without an answer, and it is held to be stuck. */
const MOST_SILENT = 6;

/** Asks a process again and again whether it lives; calls `onStuck` when it has not answered for half a minute. @returns how to stop asking */
export function watchLife(url: () => string | undefined, onStuck: () => void): () => void {
  let silent = 0;
  const ask = async () => {
    const address = url();
    if (address === undefined) {
      silent = 0;
      return;
    }
    const isAlive = await fetch(address, { signal: AbortSignal.timeout(PATIENCE_MS) }).then(
      ({ ok }) => ok,
      () => false,
    );
    silent = isAlive ? 0 : silent + 1;
    if (silent < MOST_SILENT) return;
    silent = 0;
    onStuck();
  };
  const timer = setInterval(() => void ask(), ROUND_MS);
  timer.unref();
  return () => clearInterval(timer);
}
