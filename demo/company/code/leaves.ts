/** A place in the code where a step computes, the innermost frame first, by how much of the step's time it takes. */
export type Leaf = readonly [weight: number, ...frames: readonly string[]];

/** Places of a step: of all versions, or of those that differ by themselves. The lines are those of `sources`. */
type Leaves = readonly Leaf[] | Readonly<Record<string, readonly Leaf[]>>;

const SOLVE_NOW = 'reach/berths/layout.(*Solver).Solve layout/solve.go:23';
const SOLVE_SORT = 'reach/berths/layout.(*Solver).Solve layout/solve.go:18';
const FITS = 'reach/berths/layout.(*Solver).fits layout/solve.go';
const RENDER = 'renderPass src/render.js';
const SEARCH = 'reach.sailings.SearchService.search reach/sailings/SearchService.java';
const BUILD = 'reach.manifests.ManifestService.build reach/manifests/ManifestService.java';

/** Where the computing of each step happens. */
const LEAVES: Readonly<Record<string, Readonly<Record<string, Leaves>>>> = {
  berths: {
    'layout.solve': {
      '4.6.3': [
        [30, 'sort.Search sort/search.go:67', `${FITS}:36`, SOLVE_NOW],
        [22, `${FITS}:35`, SOLVE_NOW],
        [
          12,
          'reach/berths/layout.Solve.func1 layout/solve.go:19',
          'sort.pdqsort_func sort/zsortfunc.go:61',
          'sort.Slice sort/slice.go:29',
          SOLVE_SORT,
        ],
        [10, 'sort.pdqsort_func sort/zsortfunc.go:61', 'sort.Slice sort/slice.go:29', SOLVE_SORT],
        [26, 'reach/berths/deck.(*Store).Slots deck/store.go:31', 'reach/berths/layout.(*Solver).Solve layout/solve.go:21'],
      ],
      '4.7.0': [
        [70, 'reach/berths/layout.overlaps layout/solve.go:51', `${FITS}:39`, SOLVE_NOW],
        [12, `${FITS}:38`, SOLVE_NOW],
        [9, `${FITS}:39`, SOLVE_NOW],
        [1, `${FITS}:36`, SOLVE_NOW],
        [
          3,
          'reach/berths/layout.Solve.func1 layout/solve.go:19',
          'sort.pdqsort_func sort/zsortfunc.go:61',
          'sort.Slice sort/slice.go:29',
          SOLVE_SORT,
        ],
        [2, 'sort.pdqsort_func sort/zsortfunc.go:61', 'sort.Slice sort/slice.go:29', SOLVE_SORT],
        [3, 'reach/berths/deck.(*Store).Slots deck/store.go:31', 'reach/berths/layout.(*Solver).Solve layout/solve.go:21'],
      ],
    },
  },
  passes: {
    'pass.render': {
      '3.8.5': [
        [58, 'deflate node:zlib:790', 'encodeImage src/image.js:44', `${RENDER}:12`],
        [26, 'barcodeRow src/render.js:18', `${RENDER}:10`],
        [9, 'encodeImage src/image.js:38', `${RENDER}:12`],
        [5, '(garbage collector) :0', `${RENDER}:10`],
        [2, 'debug src/log.js:9', `${RENDER}:11`],
      ],
      '3.9.0': [
        [34, 'barcodeRow src/render.js:22', `${RENDER}:11`],
        [7, '(garbage collector) :0', 'barcodeRow src/render.js:22', `${RENDER}:11`],
        [12, 'JSON.stringify node:internal/json:0', `${RENDER}:13`],
        [4, 'debug src/log.js:12', `${RENDER}:13`],
        [6, `${RENDER}:12`],
        [32, 'deflate node:zlib:790', 'encodeImage src/image.js:44', `${RENDER}:15`],
        [5, 'encodeImage src/image.js:38', `${RENDER}:15`],
      ],
    },
  },
  manifests: {
    'manifest.build': [
      [60, 'reach.manifests.PassengerList.merge reach/manifests/PassengerList.java:72', `${BUILD}:25`],
      [40, 'java.util.TimSort.sort java/util/TimSort.java:234', `${BUILD}:26`],
    ],
  },
  sailings: {
    'timetable.assemble': [
      [55, 'reach.sailings.Timetable.join reach/sailings/Timetable.java:20', `${SEARCH}:47`],
      [
        45,
        'java.time.ZonedDateTime.ofInstant java/time/ZonedDateTime.java:409',
        'reach.sailings.Timetable.localTimes reach/sailings/Timetable.java:29',
        `${SEARCH}:49`,
      ],
    ],
  },
  accounts: {
    'secret.compare': [
      [
        100,
        'crypto/sha256.block crypto/sha256/block.go:83',
        'reach/accounts/signin.stretch signin/verify.go:29',
        'reach/accounts/signin.(*Service).Verify signin/verify.go:22',
      ],
    ],
  },
  fares: {
    'price.rules': [
      [70, 'applies src/rules.js:16', 'priceOf src/rules.js:10'],
      [30, 'Array.sort node:internal/array:0', 'priceOf src/rules.js:7'],
    ],
  },
  crew: {
    'roster.build': {
      '1.8.3': [
        [65, 'crew.rosters.assign_watch crew/rosters.py:19', 'crew.rosters.build_roster crew/rosters.py:13'],
        [35, 'crew.models.member_from_row crew/models.py:29', 'crew.rosters.build_roster crew/rosters.py:10'],
      ],
      '1.9.0': [
        [45, 'crew.rosters.assign_watch crew/rosters.py:20', 'crew.rosters.build_roster crew/rosters.py:9'],
        [55, 'crew.rosters.load_member crew/rosters.py:14', 'crew.rosters.build_roster crew/rosters.py:9'],
      ],
    },
  },
  gangway: {
    'request.route': [
      [70, 'find src/server.js:14', 'Server.handle src/server.js:6'],
      [30, 'RegExp.test node:internal/regexp:0', 'find src/server.js:14', 'Server.handle src/server.js:6'],
    ],
    'answer.write': [
      [55, 'JSON.stringify node:internal/json:0', 'write src/server.js:20', 'Server.handle src/server.js:9'],
      [45, 'write src/server.js:22', 'Server.handle src/server.js:9'],
    ],
  },
  vessels: {
    'position.find': [[100, 'sort.Search sort/search.go:67', 'reach/vessels/positions.(*Track).At positions/track.go:12']],
    'position.store': [
      [60, 'sort.Search sort/search.go:67', 'reach/vessels/positions.(*Track).Store positions/track.go:21'],
      [40, 'reach/vessels/positions.(*Track).Store positions/track.go:23'],
    ],
  },
};

/** Where a step of a service computes in a version; undefined where nothing is known of it. A version that is not listed is as the first. */
export function leavesOf(service: string, step: string, version: string): readonly Leaf[] | undefined {
  const leaves = LEAVES[service]?.[step];
  if (!leaves) return undefined;
  if (isList(leaves)) return leaves;
  return leaves[version] ?? Object.values(leaves)[0];
}

function isList(leaves: Leaves): leaves is readonly Leaf[] {
  return Array.isArray(leaves);
}

/** Lines of own code that wait, by service and by what for: a statement, `pool`, or the service that is called. */
export const CALLERS: Readonly<Record<string, Readonly<Record<string, readonly string[]>>>> = {
  manifests: {
    'UPDATE booking': ['reach.manifests.BookingStore.change reach/manifests/BookingStore.java:18'],
    'SELECT booking': ['reach.manifests.BookingStore.read reach/manifests/BookingStore.java:27'],
    'SELECT manifest': ['reach.manifests.ManifestService.open reach/manifests/ManifestService.java:16'],
    'SELECT passenger': ['reach.manifests.ManifestService.open reach/manifests/ManifestService.java:17'],
    pool: ['reach.manifests.Connections.open reach/manifests/Connections.java:54'],
  },
  crew: {
    'SELECT crew_member': ['crew.rosters.load_member crew/rosters.py:14', 'crew.rosters.build_roster crew/rosters.py:9'],
  },
  berths: {
    'SELECT deck_slot': ['reach/berths/deck.(*Store).Slots deck/store.go:28'],
  },
};
