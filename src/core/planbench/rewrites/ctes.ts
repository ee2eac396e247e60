import type { CTEMaterialize, Node } from '@pgsql/types';
import { visit } from '../syntax/visit.ts';
import type { Rule } from './rule.ts';

/** A WITH worked out once and kept, or put where it is used: whichever it is not now. */
export const cteKeptOrInlined: Rule = (select) => {
  const ctes = select.withClause?.ctes ?? [];
  if (select.withClause?.recursive) return [];
  return ctes.flatMap((it, at) => {
    if (!('CommonTableExpr' in it)) return [];
    const { ctename = '', ctematerialized, ctequery } = it.CommonTableExpr;
    if (!ctequery || !('SelectStmt' in ctequery)) return [];
    const uses = usesOf(select, ctename);
    const isKept = ctematerialized === 'CTEMaterializeAlways' || (ctematerialized !== 'CTEMaterializeNever' && uses > 1);
    const other: CTEMaterialize = isKept ? 'CTEMaterializeNever' : 'CTEMaterializeAlways';
    const changed: Node = { CommonTableExpr: { ...it.CommonTableExpr, ctematerialized: other } };
    return [
      {
        words: isKept ? `${ctename} put where it is used` : `${ctename} worked out once`,
        why: isKept
          ? 'Conditions around it reach into it, and its indexes can be used.'
          : 'It is worked out once and kept, whatever stands around it.',
        proof: 'always' as const,
        select: {
          ...select,
          withClause: { ...select.withClause, ctes: ctes.map((one, index) => (index === at ? changed : one)) },
        },
      },
    ];
  });
};

function usesOf(root: unknown, name: string): number {
  let count = 0;
  visit({ root }, (kind, value) => {
    if (kind === 'RangeVar' && value.relname === name && !value.schemaname) count++;
  });
  return count;
}
