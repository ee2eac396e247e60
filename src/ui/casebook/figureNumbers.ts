import { type CaseContent, figureOrder } from '../../core/casebook/caseContent.ts';

/** The number of each pin's figure, by its id. @param known ids of the pins that there are */
export function figureNumbers(content: CaseContent, known: ReadonlySet<string>): ReadonlyMap<string, number> {
  const shown = figureOrder(content).filter((id) => known.has(id));
  return new Map(shown.map((id, at) => [id, at + 1]));
}
