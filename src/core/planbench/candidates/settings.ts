/** Settings of the planner for one statement, where the text cannot be changed. */
export interface SettingsCandidate {
  readonly words: string;
  readonly why: string;
  readonly values: Readonly<Record<string, string>>;
}

const off = (name: string, words: string): SettingsCandidate => ({
  words,
  why: 'Shows what the planner would do without it; where that is faster, its guess of rows or costs is wrong.',
  values: { [name]: 'off' },
});

const ONE_BY_ONE: readonly SettingsCandidate[] = [
  off('enable_hashjoin', 'no hash joins'),
  off('enable_mergejoin', 'no merge joins'),
  off('enable_nestloop', 'no nested loops'),
  off('enable_seqscan', 'no scans of whole tables'),
  off('enable_indexscan', 'no index scans'),
  off('enable_bitmapscan', 'no bitmaps of blocks'),
  off('enable_indexonlyscan', 'no scans of indexes alone'),
  off('enable_material', 'nothing kept between loops'),
  off('enable_memoize', 'no remembering of what was looked up'),
  off('enable_hashagg', 'no hashed groups'),
  off('enable_sort', 'no sorts'),
  off('enable_incremental_sort', 'no sorts in parts'),
  off('enable_parallel_hash', 'no shared hash tables'),
  off('enable_gathermerge', 'no merging of processes in order'),
  ...(['16MB', '64MB', '256MB', '1GB'] as const).map((size) => ({
    words: `${size.replace(/(\d+)/, '$1 ')} for sorts and hashes`,
    why: 'What fits into memory is not written to disk.',
    values: { work_mem: size },
  })),
  {
    words: 'cheaper random reads',
    why: 'On a solid-state disk a read anywhere costs as much as the next one.',
    values: { random_page_cost: '1.1' },
  },
  { words: 'dearer random reads', why: 'On a slow disk reading in order wins.', values: { random_page_cost: '12' } },
  {
    words: 'most of it in memory',
    why: 'The planner is told that the machine keeps the tables in memory.',
    values: { effective_cache_size: '64GB', random_page_cost: '1', seq_page_cost: '1' },
  },
  {
    words: '2 more processes',
    why: 'Several processes share the work; the server has to have cores to spare.',
    values: parallel(2),
  },
  {
    words: '4 more processes',
    why: 'Several processes share the work; the server has to have cores to spare.',
    values: parallel(4),
  },
  {
    words: 'one process alone',
    why: 'Starting others and gathering from them costs more than they save.',
    values: { max_parallel_workers_per_gather: '0' },
  },
  {
    words: 'joins in the order written',
    why: 'The planner keeps to the order of the text.',
    values: { join_collapse_limit: '1', from_collapse_limit: '1' },
  },
  {
    words: 'all join orders tried',
    why: 'Of many tables the planner tries every order instead of some.',
    values: { join_collapse_limit: '20', from_collapse_limit: '20', geqo: 'off' },
  },
  { words: 'no compiling', why: 'Compiling expressions takes longer than it saves.', values: { jit: 'off' } },
  {
    words: 'partitions joined one by one',
    why: 'Each pair of partitions is small.',
    values: { enable_partitionwise_join: 'on', enable_partitionwise_aggregate: 'on' },
  },
  {
    words: 'first rows soon',
    why: 'Only some of the rows are expected to be fetched.',
    values: { cursor_tuple_fraction: '0.01' },
  },
];

function parallel(processes: number): Record<string, string> {
  return {
    max_parallel_workers_per_gather: String(processes),
    parallel_setup_cost: '10',
    parallel_tuple_cost: '0.001',
    min_parallel_table_scan_size: '0',
    min_parallel_index_scan_size: '0',
  };
}

const JOINS = ONE_BY_ONE.slice(0, 3);
const SCANS = ONE_BY_ONE.slice(3, 6);

/** All settings that are tried, one by one and joins with scans. */
export function settingsCandidates(): SettingsCandidate[] {
  const pairs = [...JOINS, ...SCANS].flatMap((a, at) =>
    [...JOINS, ...SCANS]
      .slice(at + 1)
      .map((b) => ({ words: `${a.words}, ${b.words}`, why: a.why, values: { ...a.values, ...b.values } })),
  );
  return [...ONE_BY_ONE, ...pairs];
}
