/** A count with its thousands apart: "109 515". */
export function formatCount(count: number): string {
  return count.toLocaleString('en').replaceAll(',', '\u202f');
}

/** How many there are of something: "1 incident", "2 069 requests". */
export function countWords(count: number, one: string, many = `${one}s`): string {
  return `${formatCount(count)} ${count === 1 ? one : many}`;
}

const SIZES = ['B', 'kB', 'MB', 'GB', 'TB'] as const;

/** A number of bytes in the unit that reads best, three significant digits: "41.3 MB". */
export function formatBytes(bytes: number): string {
  let value = bytes;
  let unit = 0;
  while (value >= 999.5 && unit < SIZES.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${unit === 0 ? value : value.toFixed(value >= 99.95 ? 0 : value >= 9.995 ? 1 : 2)} ${SIZES[unit]}`;
}

/** How long ago something was, in words: "2 s ago", "5 min ago". @param ms milliseconds, not below zero */
export function formatAgo(ms: number): string {
  const seconds = Math.max(0, Math.round(ms / 1000));
  if (seconds < 100) return `${seconds} s ago`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min ago`;
  return seconds < 129_600 ? `${Math.round(seconds / 3600)} h ago` : `${Math.round(seconds / 86_400)} days ago`;
}
