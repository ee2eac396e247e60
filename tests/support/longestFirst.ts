import { BaseSequencer, type TestSpecification } from 'vitest/node';

/** Files that take minutes, the longest first: one that began last would keep a processor idle until it ends. */
const LONGEST = [
  'integration/demo/day',
  'integration/demo/causes',
  'integration/intake/keeping',
  'integration/answers',
  'integration/nodeProbe',
  'integration/machines',
  'integration/casebook',
  'integration/databases/collectPostgres',
  'integration/origins',
  'integration/demo/up',
  'integration/visitors',
  'integration/databases/planBench',
  'integration/files',
  'browser/map',
  'browser/traces',
  'browser/now',
  'browser/casebook',
  'browser/trace',
  'browser/accounts',
  'browser/visitors',
  'browser/machines',
];

/** The order of test files: the long ones first, the others as they would be. */
export class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const placeOf = ({ moduleId }: TestSpecification) => {
      const at = LONGEST.findIndex((name) => moduleId.endsWith(`/tests/${name}.test.ts`));
      return at < 0 ? LONGEST.length : at;
    };
    return (await super.sort(files)).sort((a, b) => placeOf(a) - placeOf(b));
  }
}
