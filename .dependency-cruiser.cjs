/** One direction of dependency: pages, views, ui → api → analysis, trials, store, intake, server → formats → core; collectors, demo → formats, core. */
const room = (name) => (name.endsWith('.ts') ? `^${name}$` : `^${name}/`);
const only = (name, from, allowed) => ({
  name,
  severity: 'error',
  from: { path: room(from), pathNot: '\\.test\\.tsx?$' },
  to: { path: '^(src|demo|collectors|tests|bench)/', pathNot: [room(from), ...allowed.map(room)] },
});
const except = (rule, file) => ({ ...rule, from: { ...rule.from, pathNot: [rule.from.pathNot, `^${file}$`] } });
const APPLICATION = 'src/server/application.ts';
module.exports = {
  forbidden: [
    { name: 'no-cycles', severity: 'error', from: {}, to: { circular: true } },
    only('core-stands-alone', 'src/core', []),
    only('formats-know-core', 'src/formats', ['src/core']),
    only('store-knows-core', 'src/store', ['src/formats', 'src/core']),
    only('intake-writes-through-store', 'src/intake', ['src/store', 'src/server', 'src/formats', 'src/core']),
    only('trials-run-on-other-servers', 'src/trials', ['src/store', 'src/formats', 'src/core']),
    only('fixes-run-apart', 'src/fixes', ['src/core']),
    only('analysis-runs-jobs', 'src/analysis', ['src/core']),
    except(only('server-starts-the-store', 'src/server', ['src/analysis', 'src/store', 'src/formats', 'src/core']), APPLICATION),
    // The process that starts the others knows them.
    only('application-starts-processes', APPLICATION, [
      'src/server',
      'src/analysis',
      'src/intake',
      'src/store',
      'src/formats',
      'src/core',
    ]),
    only('api-below-pages', 'src/api', [
      'src/analysis',
      'src/trials',
      'src/fixes',
      'src/store',
      'src/intake',
      'src/server',
      'src/formats',
      'src/core',
    ]),
    only('ui-is-shared-by-views', 'src/ui', ['src/api', 'src/core']),
    only('views-use-ui', 'src/views', ['src/ui', 'src/api', 'src/core']),
    only('pages-bind', 'src/pages', ['src/views', 'src/ui', 'src/api', 'src/core']),
    only('demo-speaks-otlp', 'demo', ['src/formats', 'src/core']),
    only('collectors-speak-otlp', 'collectors', ['src/formats', 'src/core']),
    {
      name: 'core-has-no-io',
      severity: 'error',
      from: { path: room('src/core'), pathNot: '\\.test\\.ts$' },
      to: {
        dependencyTypes: ['core', 'npm'],
        pathNot: 'node_modules/(d3-|elkjs/|yjs/|re2js/|pure-rand/|@pgsql/types/|acorn/|acorn-walk/)',
      },
    },
    {
      name: 'sql-only-in-store',
      severity: 'error',
      from: { path: '^(src|demo)/', pathNot: ['^src/(store|trials)/', '\\.test\\.ts$'] },
      to: { path: 'node_modules/(drizzle-orm|pg|pg-copy-streams)/' },
    },
    {
      name: 'browser-code-takes-only-types-from-api',
      severity: 'error',
      from: { path: '^src/(ui|views)/', pathNot: '\\.test\\.tsx?$' },
      to: { path: '^src/api/', dependencyTypesNot: ['type-only'] },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.js', '.mjs', '.json'] },
  },
};
