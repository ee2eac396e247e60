/** The pages of databases that stand beside each other. */
export const DATABASE_TABS = [
  ['/databases', 'Servers'],
  ['/databases/pools', 'Pools'],
  ['/databases/bench', 'Plan bench'],
] as const;
