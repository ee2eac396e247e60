import type { Journey } from '../journeys/journey.ts';
import { condition } from '../scope/condition.ts';
import { writeCondition } from '../scope/conditionText.ts';
import type { Rule } from './rules.ts';

/**
 * The condition that leaves what an incident of a rule is about: the requests of its journey; empty for what was found without a rule.
 *
 * @param ruleId empty without a rule
 */
export function incidentWhere(ruleId: string, rules: readonly Pick<Rule, 'id' | 'journey'>[], named: readonly Journey[]): string {
  const journey = rules.find(({ id }) => id === ruleId)?.journey;
  if (journey === undefined) return '';
  const entries = named.find(({ name }) => name === journey)?.entries ?? [journey];
  return writeCondition(condition('entry', 'is', ...entries));
}
