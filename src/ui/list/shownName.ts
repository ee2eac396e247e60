/** Names may be of any length; this much of one is drawn. */
const MOST = 160;

/** A name as it is drawn: a stand-in when it is empty, cut when it is endless. */
export function shownName(name: string): string {
  if (name.trim() === '') return 'unnamed';
  return name.length > MOST ? `${name.slice(0, MOST)}…` : name;
}
