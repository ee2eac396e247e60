import { databasePath } from './databasePath.ts';

type Tab = readonly [path: string, name: string];

/** The pages of databases that stand beside each other. @param own those of the server that is open, between the list and the rest */
export function databaseTabs(...own: readonly Tab[]): readonly Tab[] {
  return [['/databases', 'Servers'], ...own, ['/databases/pools', 'Pools'], ['/databases/bench', 'Plan bench']];
}

/** The same with the pages of one server. @param own the page of it that is open beside these */
export function serverTabs(server: string, ...own: readonly Tab[]): readonly Tab[] {
  const path = databasePath(server);
  return databaseTabs([path, server], [`${path}/indexes`, 'Indexes'], ...own);
}
