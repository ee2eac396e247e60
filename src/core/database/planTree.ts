/** A step of a plan, as EXPLAIN (FORMAT JSON) of PostgreSQL describes it. */
export interface PlanNode {
  /** "Index Scan" */
  readonly type: string;
  /** "sailing by sailing_pkey" */
  readonly on: string;
  readonly relation: string;
  readonly index: string;
  /** How it is done, and by whom, where one kind of step has several: "Hashed", "Left", "Semi", "parallel". */
  readonly strategy: string;
  /** Conditions, as the plan writes them. */
  readonly conditions: readonly string[];
  /** In the server's own units; with all below it. */
  readonly cost: number;
  /** Without what is below it. */
  readonly ownCost: number;
  readonly rows: number;
  /** What was seen when it was run; null when it was only planned. */
  readonly seenRows: number | null;
  readonly seenMs: number | null;
  /** How often it was run; 1 when that is not known. */
  readonly loops: number;
  /** Rows that it looked at and threw away, of all its loops. */
  readonly dropped: number;
  /** Blocks of 8 KiB that it and all below it looked at, in memory or read; null when not counted. */
  readonly blocks: { readonly hit: number; readonly read: number; readonly temporary: number } | null;
  readonly children: readonly PlanNode[];
}

type Raw = Readonly<Record<string, unknown>>;

const CONDITIONS = ['Index Cond', 'Hash Cond', 'Merge Cond', 'Join Filter', 'Recheck Cond', 'Filter', 'Sort Key', 'Group Key'];
/** Deeper than any plan. */
const DEEPEST = 200;

/** Reads a plan; undefined when the text is none. */
export function parsePlan(json: string): PlanNode | undefined {
  try {
    const parsed: unknown = JSON.parse(json);
    const first = Array.isArray(parsed) ? parsed[0] : parsed;
    const root = isRaw(first) && isRaw(first.Plan) ? first.Plan : first;
    return isRaw(root) && typeof root['Node Type'] === 'string' ? read(root, 0, 1) : undefined;
  } catch {
    return undefined;
  }
}

function isRaw(value: unknown): value is Raw {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** @param processes that share the step: its loops are theirs, its time the average of one */
function read(raw: Raw, depth: number, processes: number): PlanNode {
  const below = Array.isArray(raw.Plans) && depth < DEEPEST ? raw.Plans.filter(isRaw) : [];
  const launched = raw['Workers Launched'];
  const sharing = typeof launched === 'number' ? launched + 1 : processes;
  const children = below.map((it) => read(it, depth + 1, sharing));
  const text = (name: string) => (typeof raw[name] === 'string' ? raw[name] : '');
  const number = (name: string) => (typeof raw[name] === 'number' ? raw[name] : null);
  const cost = number('Total Cost') ?? 0;
  const [relation, index] = [text('Relation Name'), text('Index Name')];
  const loops = number('Actual Loops') ?? 1;
  const [rows, ms] = [number('Actual Rows'), number('Actual Total Time')];
  return {
    type: text('Node Type') || 'unknown step',
    on: relation && index ? `${relation} by ${index}` : relation || index,
    relation,
    index,
    strategy: [
      text('Strategy'),
      text('Join Type'),
      text('Partial Mode'),
      text('Scan Direction'),
      raw['Parallel Aware'] === true ? 'parallel' : '',
    ]
      .filter((it) => !['', 'Inner', 'Simple', 'Forward', 'Plain'].includes(it))
      .join(' '),
    conditions: CONDITIONS.flatMap((name) => {
      const value = raw[name];
      const shown = Array.isArray(value) ? value.join(', ') : value;
      return typeof shown === 'string' && shown !== '' ? [`${name}: ${shown}`] : [];
    }),
    cost,
    ownCost: Math.max(0, cost - children.reduce((sum, it) => sum + it.cost, 0)),
    rows: number('Plan Rows') ?? 0,
    seenRows: rows === null ? null : rows * loops,
    seenMs: ms === null ? null : (ms * loops) / processes,
    loops,
    dropped: ['Rows Removed by Filter', 'Rows Removed by Join Filter', 'Rows Removed by Index Recheck'].reduce(
      (sum, name) => sum + (number(name) ?? 0) * loops,
      0,
    ),
    blocks:
      number('Shared Hit Blocks') === null
        ? null
        : {
            hit: number('Shared Hit Blocks')! + (number('Local Hit Blocks') ?? 0),
            read: number('Shared Read Blocks') ?? 0,
            temporary: (number('Temp Read Blocks') ?? 0) + (number('Temp Written Blocks') ?? 0),
          },
    children,
  };
}

/** All steps of a plan, the root first. */
export function planSteps(root: PlanNode): PlanNode[] {
  return [root, ...root.children.flatMap(planSteps)];
}

/** What one plan does otherwise than another, in words: scans of a table in another way. */
export function planDifference(before: PlanNode, after: PlanNode): string[] {
  const scans = (root: PlanNode) => new Map(planSteps(root).flatMap((it) => (it.relation ? [[it.relation, it] as const] : [])));
  const [then, now] = [scans(before), scans(after)];
  const words: string[] = [];
  for (const [relation, it] of now) {
    const former = then.get(relation);
    if (!former) continue;
    if (former.type !== it.type || former.index !== it.index) words.push(`${relation}: ${wayOf(former)} → ${wayOf(it)}`);
  }
  if (words.length === 0) {
    const joins = (root: PlanNode) => planSteps(root).flatMap(({ type }) => (/Join|Nested Loop/.test(type) ? [type] : []));
    const [a, b] = [joins(before).join(', '), joins(after).join(', ')];
    if (a !== b) words.push(`joins: ${a || 'none'} → ${b || 'none'}`);
  }
  return words;
}

function wayOf({ type, index }: PlanNode): string {
  return index ? `${type} by ${index}` : type;
}
