import { type CaseContent, IMPACT_FIELDS } from './caseContent.ts';

const FIELD_WORDS = {
  title: 'the title',
  team: 'whom it is handed to',
  notes: 'the notes',
  helped: 'what helped',
  words: 'the words of the hand-over',
  since: 'since when',
  until: 'until when',
  where: 'which requests',
  countsRequests: 'whether requests are counted',
  visitsOf: 'whose visits are counted',
  keptBy: 'who keeps it',
  amountKey: 'what the amount is of',
} as const;

const LIST_WORDS = {
  entries: ['entry', 'entries'],
  hypotheses: ['hypothesis', 'hypotheses'],
  asked: ['request to the team', 'requests to the team'],
  marks: ['mark', 'marks'],
} as const;

/** What distinguishes two contents of a case, in a line: "title changed; 1 entry added". Empty when nothing does. */
export function changeWords(before: CaseContent, after: CaseContent): string {
  const said: string[] = [];
  if (before.state !== after.state) said.push(`now ${after.state}`);
  const changed = (Object.keys(FIELD_WORDS) as (keyof typeof FIELD_WORDS)[]).filter((name) => before[name] !== after[name]);
  if (IMPACT_FIELDS.some((field) => before.impact[field] !== after.impact[field])) said.push('impact set');
  if (changed.length > 0) said.push(`${changed.map((name) => FIELD_WORDS[name]).join(', ')} changed`);
  if (before.incidents.join() !== after.incidents.join()) said.push('incidents changed');
  for (const list of Object.keys(LIST_WORDS) as (keyof typeof LIST_WORDS)[]) {
    const [then, now] = [byId(before[list]), byId(after[list])];
    const added = [...now.keys()].filter((id) => !then.has(id)).length;
    const removed = [...then.keys()].filter((id) => !now.has(id)).length;
    const edited = [...now].filter(([id, text]) => then.has(id) && then.get(id) !== text).length;
    for (const [count, word] of [
      [added, 'added'],
      [removed, 'removed'],
      [edited, 'edited'],
    ] as const)
      if (count > 0) said.push(`${count} ${LIST_WORDS[list][count === 1 ? 0 : 1]} ${word}`);
  }
  return said.join('; ');
}

function byId(members: readonly { readonly id: string }[]): Map<string, string> {
  return new Map(members.map((it) => [it.id, JSON.stringify(it)]));
}
