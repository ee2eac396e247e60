/** What can be watched for shifts. Each kind has a source of its own, see server/watch/sources. */
export const WATCHED_KINDS = ['operation', 'page', 'struggle', 'load', 'shape', 'metric'] as const;
export type WatchedKind = (typeof WATCHED_KINDS)[number];

/** Names a series for good: its kind, and the number that its kind gives it. */
export type SeriesKey = `${WatchedKind}:${number}`;

/** A series that is watched for shifts. */
export interface WatchedSeries {
  readonly key: SeriesKey;
  readonly kind: WatchedKind;
  /** Whom it belongs to: a service, an application of visitors, a database server, a host. */
  readonly owner: string;
  /** Of the operation, page, wait class, message shape or metric. */
  readonly name: string;
  /** Whether others see its trouble as theirs: it is named first. */
  readonly isEntry: boolean;
  /** Of an operation: whether it handles what others ask for; else only requests that begin with it are watched. */
  readonly handles: boolean;
}

export function seriesKeyOf(kind: WatchedKind, id: number): SeriesKey {
  return `${kind}:${id}`;
}

/** The number that its kind gave a series. */
export function seriesId(key: SeriesKey): number {
  return Number(key.slice(key.indexOf(':') + 1));
}

/** A series in words: "holds POST /holds", "quayside-web page /manifest". */
export function seriesName({ kind, owner, name }: Pick<WatchedSeries, 'kind' | 'owner' | 'name'>): string {
  const thing = seriesThing({ kind, name });
  return kind === 'page' || kind === 'load' ? `${owner} ${kind} ${thing}` : `${owner} ${thing}`;
}

/** What a series is of, without whom it belongs to: a message as it is written, else its name. */
export function seriesThing({ kind, name }: Pick<WatchedSeries, 'kind' | 'name'>): string {
  return kind === 'shape' ? `“${shapeOfSeries(name).text}”` : name;
}

const LONGEST_TEXT = 160;

/** The name of the series of a message shape: its id, by which its lines are found, and what it says. */
export function shapeSeriesName(id: string, text: string): string {
  const line = text.split('\n', 1)[0];
  return `${id} ${line.length > LONGEST_TEXT ? `${line.slice(0, LONGEST_TEXT - 1)}…` : line}`;
}

/** What the name of a shape's series says; `id` is empty for the one that stands for all that found no room. */
export function shapeOfSeries(name: string): { id: string; text: string } {
  const found = /^([0-9a-f]{16}) (.*)$/s.exec(name);
  return found ? { id: found[1], text: found[2] } : { id: '', text: name };
}

/**
 * The page on which an incident opens: where all of what moved is of one thing that no journey shows, on that thing; else on Now.
 *
 * @param moved the series that moved, the one that says the most first
 */
export function incidentPath(moved: readonly Pick<WatchedSeries, 'kind' | 'owner' | 'name' | 'isEntry'>[]): string {
  const [lead] = moved;
  if (!lead || moved.some(({ kind, isEntry }) => kind === 'operation' && isEntry)) return '/now';
  return seriesPath(lead);
}

/** How the series of visits that struggle is called. */
export const STRUGGLE = 'visitors struggle';

/** How the series of a service's pods that are started again is called. */
export const PODS_STARTED = 'pods started again';

/** The page on which a series is looked at; the caller adds the scope. */
export function seriesPath({ kind, owner, name }: Pick<WatchedSeries, 'kind' | 'owner' | 'name'>): string {
  switch (kind) {
    case 'operation':
      return `/services/${encodeURIComponent(owner)}`;
    case 'page':
      return `/visitors?app=${encodeURIComponent(owner)}`;
    case 'struggle':
      return `/visitors/visits?app=${encodeURIComponent(owner)}`;
    case 'metric':
      return name === PODS_STARTED
        ? `/machines/pods?label=${encodeURIComponent(`app=${owner}`)}`
        : `/machines/hosts/${encodeURIComponent(owner)}`;
    case 'shape': {
      const { id } = shapeOfSeries(name);
      return id === '' ? '/logs?severity=fatal,error' : `/logs?shape=${id}&as=lines`;
    }
    case 'load':
      return '/now';
  }
}
