/*
 * The numbers of a trace worked out a second time, straight from the definitions and from OTLP/JSON, in whole nanoseconds as
 * bigint. It shares no code with the application and takes the plain way everywhere: scans instead of heaps, recursion instead of
 * stacks. Slow and simple on purpose.
 */

interface OtlpValue {
  readonly stringValue?: string;
  readonly intValue?: string | number;
}

export interface OtlpSpan {
  readonly traceId: string;
  readonly spanId: string;
  readonly parentSpanId?: string;
  readonly name: string;
  readonly kind: number;
  readonly startTimeUnixNano: string;
  readonly endTimeUnixNano: string;
  readonly attributes?: readonly { readonly key: string; readonly value: OtlpValue }[];
  readonly status?: { readonly code?: number; readonly message?: string };
}

export interface OtlpTraces {
  readonly resourceSpans: readonly {
    readonly resource: { readonly attributes: readonly { readonly key: string; readonly value: OtlpValue }[] };
    readonly scopeSpans: readonly { readonly spans: readonly OtlpSpan[] }[];
  }[];
}

interface Item {
  id: string;
  parentId: string | undefined;
  service: string;
  host: string | undefined;
  name: string;
  kind: number;
  start: bigint;
  end: bigint;
  failed: boolean;
  attribute: (key: string) => string | undefined;
  parent: Item | undefined;
  children: Item[];
}

export interface Recount {
  readonly durationNs: bigint;
  readonly start: bigint;
  readonly self: ReadonlyMap<string, bigint>;
  readonly startOf: ReadonlyMap<string, bigint>;
  readonly path: readonly { readonly spanId: string; readonly start: bigint; readonly end: bigint }[];
  readonly ledger: ReadonlyMap<string, bigint>;
  readonly origins: ReadonlyMap<string, string>;
}

const SERVER = 2;
const CLIENT = 3;
const CONSUMER = 5;

/** Works out one trace. Times count from the trace's first start. */
export function recount(traces: OtlpTraces, traceId: string): Recount {
  const items = read(traces, traceId);
  const first = items.reduce((least, item) => (item.start < least ? item.start : least), items[0].start);
  for (const item of items) {
    item.start -= first;
    item.end -= first;
  }
  const root = link(items);
  for (const item of items) if (!item.parent) unskew(item);
  const segments = path(root, root.start, root.end).sort((a, b) => (a.start < b.start ? -1 : 1));
  const merged: { item: Item; start: bigint; end: bigint }[] = [];
  for (const segment of segments) {
    const last = merged.at(-1);
    if (last && last.item === segment.item && last.end === segment.start) last.end = segment.end;
    else merged.push({ ...segment });
  }
  const ledger = new Map<string, bigint>();
  const book = (key: string, ns: bigint) => {
    if (ns > 0n) ledger.set(key, (ledger.get(key) ?? 0n) + ns);
  };
  for (const { item, start, end } of merged) {
    // What lies between a failed call and the next like it is waiting to try again, of whom failed it.
    let rest = end - start;
    for (const pause of backoffs(item)) {
      const within = least(end, pause.to) - most(start, pause.from);
      if (within <= 0n) continue;
      book(`backoff ${pause.party}`, within);
      rest -= within;
    }
    book(line(item), rest);
  }
  return {
    durationNs: root.end - root.start,
    start: first,
    self: new Map(items.map((item) => [item.id, selfTime(item)])),
    startOf: new Map(items.map((item) => [item.id, item.start])),
    path: merged.map(({ item, start, end }) => ({ spanId: item.id, start, end })),
    ledger,
    origins: new Map(items.filter((item) => item.failed && !failsBelow(item)).map((item) => [item.id, originOf(item)])),
  };
}

function read(traces: OtlpTraces, traceId: string): Item[] {
  const items: Item[] = [];
  for (const { resource, scopeSpans } of traces.resourceSpans) {
    const ofResource = (key: string) => resource.attributes.find((it) => it.key === key)?.value.stringValue;
    for (const span of scopeSpans.flatMap((it) => it.spans)) {
      if (span.traceId !== traceId || items.some((it) => it.id === span.spanId)) continue;
      items.push({
        id: span.spanId,
        parentId: span.parentSpanId || undefined,
        service: ofResource('service.name') ?? 'unknown_service',
        host: ofResource('host.id') ?? ofResource('host.name'),
        name: span.name,
        kind: span.kind,
        start: BigInt(span.startTimeUnixNano),
        end: BigInt(span.endTimeUnixNano),
        failed: span.status?.code === 2,
        attribute: (key) => {
          const value = span.attributes?.find((it) => it.key === key)?.value;
          return value?.stringValue ?? (value?.intValue === undefined ? undefined : String(value.intValue));
        },
        parent: undefined,
        children: [],
      });
    }
  }
  return items;
}

const before = (a: Item, b: Item) => a.start < b.start || (a.start === b.start && a.id < b.id);
const earliest = (items: Item[]) => items.reduce((best, item) => (before(item, best) ? item : best));

function link(items: Item[]): Item {
  for (const item of items) item.parent = items.find((it) => it.id === item.parentId);
  // Whoever meets itself on the way up is in a circle; the earliest of a circle loses its parent.
  for (const item of items) {
    const circle: Item[] = [];
    let at: Item | undefined = item;
    while (at && !circle.includes(at)) {
      circle.push(at);
      at = at.parent;
    }
    if (at === item) earliest(circle).parent = undefined;
  }
  const tops = items.filter((item) => !item.parent);
  const roots = tops.filter((item) => item.parentId === undefined);
  const root = earliest(roots.length > 0 ? roots : tops);
  for (const item of tops) if (item !== root && item.parentId !== undefined) item.parent = root;
  for (const item of items) item.parent?.children.push(item);
  return root;
}

function unskew(parent: Item): void {
  for (const child of parent.children) {
    const inside = child.start >= parent.start && child.end <= parent.end;
    const apart = parent.host !== undefined && child.host !== undefined && parent.host !== child.host;
    if (parent.kind === CLIENT && child.kind === SERVER && apart && !inside) {
      const room = parent.end - parent.start;
      const need = child.end - child.start;
      const half = (room - need) / 2n - ((room - need) % 2n === -1n ? 1n : 0n);
      const target = need > room ? parent.start + half : child.start < parent.start ? parent.start : parent.end - need;
      move(child, target - child.start);
    }
    unskew(child);
  }
}

function move(item: Item, by: bigint): void {
  item.start += by;
  item.end += by;
  for (const child of item.children) move(child, by);
}

const least = (a: bigint, b: bigint) => (a < b ? a : b);
const most = (a: bigint, b: bigint) => (a > b ? a : b);

function path(item: Item, from: bigint, to: bigint): { item: Item; start: bigint; end: bigint }[] {
  const lo = most(item.start, from);
  let t = least(item.end, to);
  const result: { item: Item; start: bigint; end: bigint }[] = [];
  while (t > lo) {
    const eligible = item.children.filter((child) => {
      if (child.kind === CONSUMER || child.start >= t || child.end <= child.start || child.end <= lo) return false;
      const isServerSide = item.kind === CLIENT && child.kind === SERVER;
      // ε is a hundredth of the child's duration, 1 ms at the most; a hundredth is compared without rounding.
      const late = child.end - t;
      return isServerSide || late <= 0n || (late * 100n <= child.end - child.start && late <= 1_000_000n);
    });
    if (eligible.length === 0) break;
    const next = eligible.reduce((best, child) => {
      const a = least(child.end, t);
      const b = least(best.end, t);
      if (a !== b) return a > b ? child : best;
      if (child.start !== best.start) return child.start > best.start ? child : best;
      return child.id < best.id ? child : best;
    });
    const end = least(next.end, t);
    if (end < t) result.push({ item, start: end, end: t });
    result.push(...path(next, lo, end));
    t = most(next.start, lo);
  }
  if (t > lo) result.push({ item, start: lo, end: t });
  return result;
}

/** Each failed call of a span, and the first like one that begins after it ended and answers no other. */
function backoffs(item: Item): { from: bigint; to: bigint; party: string }[] {
  const taken = new Set<Item>();
  const inOrder = [...item.children].sort((a, b) => (before(a, b) ? -1 : 1));
  return inOrder.flatMap((failed) => {
    if (!failed.failed) return [];
    const like = (it: Item) => it.service === failed.service && it.name === failed.name && it.kind === failed.kind;
    const next = inOrder.find((it) => it !== failed && like(it) && !taken.has(it) && it.start >= failed.end);
    if (!next) return [];
    taken.add(next);
    if (failed.kind !== CLIENT) return [];
    const callee = failed.children.find((it) => it.kind === SERVER);
    return [{ from: failed.end, to: next.start, party: callee ? callee.service : peer(failed) }];
  });
}

function selfTime(item: Item): bigint {
  // Every moment at which something begins or ends bounds a stretch that is covered as a whole or not at all.
  const clip = (time: bigint) => most(item.start, least(time, item.end));
  const moments = [...new Set([item.start, item.end, ...item.children.flatMap((it) => [clip(it.start), clip(it.end)])])].sort(
    (a, b) => (a < b ? -1 : 1),
  );
  let own = 0n;
  for (let at = 0; at + 1 < moments.length; at++) {
    const [from, to] = [moments[at], moments[at + 1]];
    if (!item.children.some((child) => child.start <= from && child.end >= to)) own += to - from;
  }
  return own;
}

function line(item: Item): string {
  const system = item.attribute('db.system.name') ?? item.attribute('db.system');
  const hasServer = item.children.some((child) => item.kind === CLIENT && child.kind === SERVER);
  if (item.attribute('lantern.wait') === 'pool' || item.name === 'acquire connection') return `pool ${item.service}`;
  if (item.kind !== CLIENT) return `own ${item.service}`;
  if (hasServer) return `gap ${item.service}`;
  return `${system ? 'db' : 'remote'} ${peer(item)}`;
}

function peer(item: Item): string {
  const system = item.attribute('db.system.name') ?? item.attribute('db.system');
  const names = system
    ? ['peer.service', 'server.address', 'db.namespace', 'db.system.name', 'db.system']
    : ['peer.service', 'messaging.destination.name', 'server.address'];
  return names.map(item.attribute).find((name) => name) ?? 'unknown';
}

function failsBelow(item: Item): boolean {
  return item.children.some((child) => child.kind !== CONSUMER && (child.failed || failsBelow(child)));
}

function originOf(item: Item): string {
  const code = Number(item.attribute('http.response.status_code') ?? 0);
  if (item.kind !== CLIENT) return item.service;
  const [server] = item.children
    .filter((child) => child.kind === SERVER)
    .sort((a, b) => (a.start === b.start ? (a.id < b.id ? -1 : 1) : a.start < b.start ? -1 : 1));
  // Asked too often, took too long, could not: the one that answered so did not do it.
  if (server) return code >= 500 || code === 408 || code === 429 ? server.service : item.service;
  return [401, 403, 407, 408, 429].includes(code) || code < 400 || code >= 500 ? peer(item) : item.service;
}
