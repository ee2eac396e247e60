import type { NodeKind } from '../../core/topology/node.ts';

/** What each kind of node is called. */
export const KIND_NAMES: Readonly<Record<NodeKind, string>> = {
  service: 'service',
  visitors: 'visitors',
  database: 'database',
  cache: 'cache',
  queue: 'queue',
  peer: 'outside',
  group: 'team',
};
