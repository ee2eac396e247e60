import type { CaseMark } from '../../core/casebook/caseContent.ts';
import { useCases } from '../queries/casebook.ts';
import { useOpenCase } from './openCase.ts';

const NONE: readonly CaseMark[] = [];

/** Moments that the open case marks. */
export function useCaseMarks(): readonly CaseMark[] {
  const id = useOpenCase();
  const { data } = useCases({ enabled: id !== undefined });
  return data?.cases.find((it) => it.id === id)?.marks ?? NONE;
}
