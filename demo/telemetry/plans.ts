import { createHash } from 'node:crypto';
import { type Statement, tableOf } from '../company/statements.ts';

interface PlanNode {
  'Node Type': string;
  'Relation Name'?: string;
  'Index Name'?: string;
  'Index Cond'?: string;
  Filter?: string;
  'Startup Cost': number;
  'Total Cost': number;
  'Plan Rows': number;
  'Plan Width': number;
  Plans?: PlanNode[];
}

/** A plan with the id of its shape, as EXPLAIN (FORMAT JSON) writes it. */
export interface Plan {
  readonly id: string;
  readonly cost: number;
  readonly json: string;
}

/** The plan that a server chooses for a statement: by its index, or by looking at every row when that is not there. */
export function planOf(statement: Statement, isFullScan: boolean): Plan {
  const root = rootOf(statement, isFullScan);
  return {
    id: createHash('md5').update(shapeOf(root)).digest('hex').slice(0, 16),
    cost: root['Total Cost'],
    json: JSON.stringify([{ Plan: root }]),
  };
}

function rootOf(statement: Statement, isFullScan: boolean): PlanNode {
  const { text, blocks, rows, index } = statement;
  const condition = /WHERE (.+?)(?: ORDER BY| GROUP BY|$)/.exec(text)?.[1] ?? '';
  const scan: PlanNode =
    index && !isFullScan
      ? node('Index Scan', 4 + blocks * 1.1, rows, { 'Index Name': index, 'Index Cond': `(${condition})` })
      : node('Seq Scan', (isFullScan ? 220 : 1) * blocks * 1.8, rows, condition ? { Filter: `(${condition})` } : {});
  scan['Relation Name'] = tableOf(statement);
  const sorted = text.includes('ORDER BY') ? above('Sort', scan, 1.05) : scan;
  const grouped = text.includes('GROUP BY') ? above('HashAggregate', sorted, 1.1) : sorted;
  const [verb] = text.split(' ');
  if (verb === 'SELECT') return grouped;
  const change = verb === 'INSERT' ? node('Result', 0.01, 1, {}) : grouped;
  return { ...above('ModifyTable', change, 1.02), 'Relation Name': tableOf(statement) };
}

function node(type: string, cost: number, rows: number, more: Partial<PlanNode>): PlanNode {
  return { 'Node Type': type, 'Startup Cost': 0.42, 'Total Cost': round(cost), 'Plan Rows': rows, 'Plan Width': 64, ...more };
}

function above(type: string, below: PlanNode, factor: number): PlanNode {
  return { ...node(type, below['Total Cost'] * factor, below['Plan Rows'], {}), Plans: [below] };
}

function shapeOf(plan: PlanNode): string {
  const names = [plan['Node Type'], plan['Relation Name'], plan['Index Name']].filter(Boolean).join(' ');
  return `${names}(${(plan.Plans ?? []).map(shapeOf).join(', ')})`;
}

const round = (cost: number) => Math.round(cost * 100) / 100;
