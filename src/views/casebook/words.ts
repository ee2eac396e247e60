import type { CaseList } from '../../api/casebook/cases.ts';
import type { CaseState } from '../../core/casebook/caseContent.ts';
import { clockRange, dayTime } from '../../core/time/clock.ts';

type InShort = CaseList['cases'][number];

/** How cases stand, in a sentence. */
export function casesSentence(cases: readonly Pick<InShort, 'state'>[]): string {
  const count = (state: CaseState) => cases.filter((it) => it.state === state).length;
  const [open, handed] = [count('open'), count('handed over')];
  if (cases.length === 0) return 'No case yet';
  if (open === 0 && handed === 0) return 'No case is open';
  const said = [
    open > 0 ? `${open} ${open === 1 ? 'case is' : 'cases are'} open` : '',
    handed > 0 ? `${handed} ${handed === 1 ? 'is' : 'are'} handed over` : '',
  ];
  return said.filter((it) => it !== '').join(', ');
}

/** "10:21–10:50", "since 10:21"; empty while that is not known. */
export function spanOfCase(since: number | null, until: number | null, zone: string, now: number): string {
  if (since === null) return '';
  return until === null ? `since ${dayTime(since, zone, now)}` : clockRange(since, until, zone, now);
}

/** What two cases share, as it is read: `service:holds` is "service holds". */
export function sharedWords(shared: readonly string[]): string {
  return shared
    .map((it) => {
      const cut = it.indexOf(':');
      return cut < 0 ? `"${it}"` : `${it.slice(0, cut)} ${it.slice(cut + 1)}`;
    })
    .join(', ');
}
