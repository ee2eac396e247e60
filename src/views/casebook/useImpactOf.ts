import type { LiveCase } from '../../ui/casebook/caseSync.ts';
import { useCaseImpact } from '../../ui/queries/casebook.ts';

/** What a case did to people, asked again when its time or its requests change. */
export function useImpactOf({ id, standing, content: { since, until, where, countsRequests, visitsOf, amountKey } }: LiveCase) {
  return useCaseImpact(id, `${since} ${until} ${where} ${countsRequests} ${visitsOf} ${amountKey}`, standing === 'saved');
}
