import { createHash } from 'node:crypto';
import { parseAllDocuments, stringify } from 'yaml';
import { withoutSecretValues } from '../../src/core/machines/secrets.ts';
import type { Attributes, AttributeValue } from '../../src/core/trace/span.ts';
import { NoBill, readBill } from '../../src/formats/images/bill.ts';
import { quantity } from './quantity.ts';

/** An event to be sent: its name and attributes, and when it was. */
export interface FoundEvent {
  readonly name: 'lantern.inventory' | 'lantern.object.event';
  /** The object that it is about. */
  readonly id: string;
  readonly attributes: Attributes;
  /** Epoch milliseconds; undefined for now. */
  readonly atMs: number | undefined;
}

/** What a text holds, and what could not be read in it. */
export interface ReadObjects {
  readonly events: readonly FoundEvent[];
  readonly faults: readonly string[];
}

type Tree = { readonly [name: string]: unknown };

/** Objects of one text, and documents that may refer to the same anchor: against texts that grow when they are read. */
const MOST_OBJECTS = 20_000;
const MOST_ALIASES = 100;
/** Characters of a specification that are sent. */
const MOST_SPECIFICATION = 90_000;
const MOST_FIELDS = 40;

/** Columns that definitions of own kinds name, by kind: the name and the path in the object. */
export type KindColumns = Map<string, readonly (readonly [name: string, path: string])[]>;

/**
 * Reads object files as cluster tools write them: YAML of one or more documents, JSON, lists of objects, of any kind; bills of materials and assessments
 * of images (CycloneDX, SPDX, OpenVEX). Definitions of own kinds are remembered for the objects that follow.
 */
export function readObjects(text: string, columns: KindColumns = new Map()): ReadObjects {
  const faults: string[] = [];
  const events: FoundEvent[] = [];
  const bill = billEvents(text, faults);
  if (bill) return { events: bill, faults };
  const trees: Tree[] = [];
  for (const document of parseAllDocuments(text, { logLevel: 'silent' })) {
    if (!('errors' in document)) continue;
    const [error] = document.errors;
    if (error) {
      faults.push(error.message.split('\n')[0]);
      continue;
    }
    try {
      collect(document.toJS({ maxAliasCount: MOST_ALIASES }), trees);
    } catch (thrown) {
      faults.push((thrown as Error).message);
    }
  }
  // Definitions first, wherever they stand.
  for (const tree of trees) if (tree.kind === 'CustomResourceDefinition') rememberColumns(tree, columns);
  for (const tree of trees.slice(0, MOST_OBJECTS)) {
    const found = tree.kind === 'Event' ? happened(tree) : object(tree, columns);
    if (found) events.push(found);
    else faults.push(`an object without kind or name: ${JSON.stringify(tree).slice(0, 80)}`);
  }
  if (trees.length > MOST_OBJECTS)
    faults.push(`${trees.length - MOST_OBJECTS} objects beyond the first ${MOST_OBJECTS} are left out`);
  return { events, faults };
}

function collect(value: unknown, trees: Tree[]): void {
  if (Array.isArray(value)) for (const it of value) collect(it, trees);
  else if (isTree(value)) {
    if (Array.isArray(value.items) && (value.kind === undefined || /List$/.test(String(value.kind)))) collect(value.items, trees);
    else trees.push(value);
  }
}

function billEvents(text: string, faults: string[]): FoundEvent[] | undefined {
  if (!/^\s*\{/.test(text) || !/"(bomFormat|spdxVersion|@context)"/.test(text)) return undefined;
  try {
    const { image, parts } = readBill(text);
    const isBill = image !== '';
    const name = isBill ? image : createHash('md5').update(text).digest('hex').slice(0, 12);
    const compact = JSON.stringify(JSON.parse(text));
    if (compact.length > MOST_SPECIFICATION) {
      faults.push(`${name}: ${compact.length} characters are more than ${MOST_SPECIFICATION}; it is left out`);
      return [];
    }
    return [
      inventory(isBill ? 'image' : 'assessment', `${isBill ? 'image' : 'assessment'} ${name}`, name, {
        'lantern.object.specification': compact,
        'lantern.object.detail': isBill ? { components: parts.length } : {},
      }),
    ];
  } catch (error) {
    if (!(error instanceof NoBill)) throw error;
    faults.push(error.message);
    return [];
  }
}

function inventory(kind: string, id: string, name: string, more: Attributes): FoundEvent {
  return {
    name: 'lantern.inventory',
    id,
    attributes: { 'lantern.object.kind': kind, 'lantern.object.id': id, 'lantern.object.name': name, ...more },
    atMs: undefined,
  };
}

/** A kind as people say it: `ReplicaSet` is a replica set, a `Node` is a host. */
export function kindWords(kind: string): string {
  return kind === 'Node' ? 'host' : kind.replace(/([a-z0-9])([A-Z])/g, '$1 $2').toLowerCase();
}

/** The id of an object: kind, and name within its namespace. Hosts are known by their name alone. */
function idOf(kind: string, namespace: unknown, name: string): string {
  if (kind === 'Node') return name;
  const within = typeof namespace === 'string' && namespace !== '' && namespace !== 'default' ? `${namespace}/` : '';
  return `${kindWords(kind)} ${within}${name}`;
}

function object(tree: Tree, columns: KindColumns): FoundEvent | undefined {
  const metadata = treeAt(tree, 'metadata');
  const [kind, name] = [tree.kind, metadata.name];
  if (typeof kind !== 'string' || typeof name !== 'string') return undefined;
  if (kind === 'CustomResourceDefinition') return definition(tree, columns);
  const { namespace } = metadata;
  const owner = list(metadata.ownerReferences).find(isTree);
  const spec = treeAt(tree, 'spec');
  const machine = typeof spec.nodeName === 'string' ? spec.nodeName : '';
  const labels = Object.entries(treeAt(metadata, 'labels')).map(([label, value]) => [label, String(value)]);
  return inventory(kindWords(kind), idOf(kind, namespace, name), name, {
    ...(owner ? { 'lantern.object.part_of': idOf(String(owner.kind), namespace, String(owner.name)) } : {}),
    ...(machine ? { 'lantern.object.stands_on': machine } : {}),
    'lantern.object.uses': usesOf(tree, namespace),
    'lantern.object.labels': {
      ...(typeof namespace === 'string' ? { namespace } : {}),
      ...appOf(treeAt(metadata, 'labels')),
      ...Object.fromEntries(labels),
    },
    'lantern.object.detail': detailOf(kind, tree, columns),
    'lantern.object.specification': withoutSecretValues(kind, specificationOf(tree)).slice(0, MOST_SPECIFICATION),
  });
}

/** The label under which pages look for a service. */
function appOf(labels: Tree): Record<string, string> {
  const app = labels.app ?? labels['app.kubernetes.io/name'];
  return typeof app === 'string' ? { app } : {};
}

/** The object as YAML, without what only machines read and what changes all the time. */
function specificationOf(tree: Tree): string {
  const { status: _, metadata, ...rest } = tree as { status?: unknown; metadata?: Tree };
  const {
    managedFields: _fields,
    resourceVersion: _version,
    uid: _uid,
    generation: _generation,
    annotations,
    ...kept
  } = (metadata ?? {}) as Tree & {
    annotations?: Tree;
  };
  const { 'kubectl.kubernetes.io/last-applied-configuration': _applied, ...notes } = annotations ?? {};
  return stringify({ ...rest, metadata: { ...kept, ...(Object.keys(notes).length > 0 ? { annotations: notes } : {}) } });
}

function containersIn(tree: Tree): Tree[] {
  const spec = treeAt(tree, 'spec');
  const template = treeAt(treeAt(spec, 'template'), 'spec');
  return [...list(spec.containers), ...list(template.containers)].filter(isTree);
}

/** Settings, secrets and volumes that a pod or its template names. */
function usesOf(tree: Tree, namespace: unknown): string[] {
  const found = new Set<string>();
  const put = (kind: string, name: unknown) => {
    if (typeof name === 'string') found.add(idOf(kind, namespace, name));
  };
  const spec = treeAt(tree, 'spec');
  const template = treeAt(treeAt(spec, 'template'), 'spec');
  for (const volume of [...list(spec.volumes), ...list(template.volumes)].filter(isTree)) {
    put('ConfigMap', treeAt(volume, 'configMap').name);
    put('Secret', treeAt(volume, 'secret').secretName);
    put('PersistentVolumeClaim', treeAt(volume, 'persistentVolumeClaim').claimName);
  }
  for (const container of containersIn(tree)) {
    for (const from of list(container.envFrom).filter(isTree)) {
      put('ConfigMap', treeAt(from, 'configMapRef').name);
      put('Secret', treeAt(from, 'secretRef').name);
    }
    for (const variable of list(container.env).filter(isTree)) {
      const from = treeAt(variable, 'valueFrom');
      put('ConfigMap', treeAt(from, 'configMapKeyRef').name);
      put('Secret', treeAt(from, 'secretKeyRef').name);
    }
  }
  return [...found].slice(0, 100);
}

function detailOf(kind: string, tree: Tree, columns: KindColumns): Attributes {
  if (kind === 'Secret') return {};
  if (kind === 'Pod') return podDetail(tree);
  if (kind === 'Node') {
    const capacity = treeAt(treeAt(tree, 'status'), 'capacity');
    return {
      ...numbers({ cores: quantity(capacity.cpu), memory: quantity(capacity.memory) }),
      ready: isReady(tree),
    };
  }
  const named = (columns.get(kind) ?? []).flatMap(([name, path]): [string, AttributeValue][] => {
    const value = valueAt(tree, path);
    return value === undefined ? [] : [[name, value]];
  });
  return {
    ...Object.fromEntries(flat(treeAt(tree, 'spec')).slice(0, MOST_FIELDS)),
    ...statusOf(tree),
    ...Object.fromEntries(named),
  };
}

function podDetail(tree: Tree): Attributes {
  const status = treeAt(tree, 'status');
  const containers = containersIn(tree);
  const states = list(status.containerStatuses).filter(isTree);
  const total = (side: 'requests' | 'limits', what: 'cpu' | 'memory') => {
    const amounts = containers.map((it) => quantity(treeAt(treeAt(it, 'resources'), side)[what]));
    // Without a limit for one there is none for all.
    if (side === 'limits' && amounts.includes(undefined)) return undefined;
    const known = amounts.filter((it) => it !== undefined);
    return known.length === 0 ? undefined : known.reduce((sum, it) => sum + it, 0);
  };
  const waiting = states.map((it) => treeAt(treeAt(it, 'state'), 'waiting').reason).find((it) => typeof it === 'string');
  const ended = states.map((it) => treeAt(treeAt(it, 'lastState'), 'terminated').reason).find((it) => typeof it === 'string');
  const unplaced = list(status.conditions)
    .filter(isTree)
    .find((it) => it.type === 'PodScheduled' && it.status === 'False');
  const ready = isReady(tree);
  const reason = String(status.reason ?? waiting ?? unplaced?.reason ?? (ready ? '' : (ended ?? '')));
  const { uid } = treeAt(tree, 'metadata');
  return {
    // By it the machine knows the pod.
    ...(typeof uid === 'string' ? { uid } : {}),
    ready,
    phase: String(status.phase ?? '').toLowerCase(),
    ...(reason ? { reason } : {}),
    restarts: states.reduce((sum, it) => sum + (Number(it.restartCount) || 0), 0),
    ...(containers[0]?.image
      ? {
          image: containers
            .map((it) => String(it.image ?? ''))
            .join(' ')
            .slice(0, 500),
        }
      : {}),
    ...(typeof status.startTime === 'string' ? { started: status.startTime } : {}),
    ...numbers({
      'cpu.request': total('requests', 'cpu'),
      'cpu.limit': total('limits', 'cpu'),
      'memory.request': total('requests', 'memory'),
      'memory.limit': total('limits', 'memory'),
    }),
  };
}

function statusOf(tree: Tree): Attributes {
  const status = treeAt(tree, 'status');
  const conditions = list(status.conditions).filter(isTree);
  return {
    ...(conditions.some(({ type }) => type === 'Ready' || type === 'Available') ? { ready: isReady(tree) } : {}),
    ...(typeof status.phase === 'string' ? { phase: status.phase } : {}),
  };
}

function isReady(tree: Tree): boolean {
  return list(treeAt(tree, 'status').conditions)
    .filter(isTree)
    .some(({ type, status }) => (type === 'Ready' || type === 'Available') && status === 'True');
}

function happened(tree: Tree): FoundEvent | undefined {
  const about = isTree(tree.involvedObject) ? tree.involvedObject : treeAt(tree, 'regarding');
  if (typeof about.kind !== 'string' || typeof about.name !== 'string' || typeof tree.reason !== 'string') return undefined;
  const series = treeAt(tree, 'series');
  const at = [series.lastObservedTime, tree.lastTimestamp, tree.eventTime, tree.firstTimestamp].find(
    (it) => typeof it === 'string',
  );
  const atMs = at === undefined ? Number.NaN : Date.parse(String(at));
  const id = idOf(about.kind, about.namespace, about.name);
  return {
    name: 'lantern.object.event',
    id,
    attributes: {
      'lantern.object.id': id,
      'lantern.object.kind': kindWords(about.kind),
      'lantern.object.name': about.name,
      'lantern.event.reason': tree.reason,
      'lantern.event.message': String(tree.message ?? tree.note ?? '').slice(0, 2_000),
      'lantern.event.trouble': tree.type === 'Warning',
      'lantern.event.count': Math.max(1, Number(series.count ?? tree.count ?? tree.deprecatedCount) || 1),
    },
    atMs: Number.isNaN(atMs) ? undefined : atMs,
  };
}

function rememberColumns(tree: Tree, columns: KindColumns): void {
  const spec = treeAt(tree, 'spec');
  const kind = treeAt(spec, 'names').kind;
  if (typeof kind !== 'string') return;
  const own = list(spec.versions)
    .filter(isTree)
    .flatMap((version) => list(version.additionalPrinterColumns).filter(isTree))
    .filter((it) => typeof it.name === 'string' && typeof it.jsonPath === 'string')
    .map((it) => [String(it.name), String(it.jsonPath)] as const);
  columns.set(kind, [...new Map(own.map((it) => [it[0], it])).values()].slice(0, 20));
}

function definition(tree: Tree, columns: KindColumns): FoundEvent | undefined {
  const kind = treeAt(treeAt(tree, 'spec'), 'names').kind;
  if (typeof kind !== 'string') return undefined;
  return inventory('kind', `kind ${kindWords(kind)}`, kindWords(kind), {
    'lantern.object.detail': { columns: (columns.get(kind) ?? []).map(([name]) => name) },
    'lantern.object.specification': specificationOf(tree).slice(0, MOST_SPECIFICATION),
  });
}

/** A value by a path such as `.spec.until`: names, and indices in brackets. */
function valueAt(tree: Tree, path: string): AttributeValue | undefined {
  let at: unknown = tree;
  for (const step of path
    .replace(/\[(\d+)\]/g, '.$1')
    .split('.')
    .filter(Boolean))
    at = (at as Tree | undefined | null)?.[step];
  return scalar(at);
}

function scalar(value: unknown): AttributeValue | undefined {
  return typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean'
    ? (value as AttributeValue)
    : undefined;
}

/** The plain values of a tree, by their paths. */
function flat(tree: Tree, within = ''): [name: string, value: AttributeValue][] {
  return Object.entries(tree).flatMap(([name, value]): [string, AttributeValue][] => {
    const path = within === '' ? name : `${within}.${name}`;
    const plain = scalar(value);
    if (plain !== undefined) return [[path, plain]];
    return isTree(value) && within.split('.').length < 3 ? flat(value, path) : [];
  });
}

function numbers(of: Readonly<Record<string, number | undefined>>): Attributes {
  return Object.fromEntries(Object.entries(of).filter((it): it is [string, number] => it[1] !== undefined));
}

function isTree(value: unknown): value is Tree {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

function treeAt(tree: Tree, name: string): Tree {
  const value = tree[name];
  return isTree(value) ? value : {};
}

function list(value: unknown): unknown[] {
  return Array.isArray(value) ? value : [];
}
