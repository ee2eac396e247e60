import type { CaseMark } from '../../core/casebook/caseContent.ts';
import { useCaseInShort } from '../queries/casebook.ts';
import { useOpenCase } from './openCase.ts';

const NONE: readonly CaseMark[] = [];

/** Moments that the open case marks. */
export function useCaseMarks(): readonly CaseMark[] {
  return useCaseInShort(useOpenCase()).data?.marks ?? NONE;
}
