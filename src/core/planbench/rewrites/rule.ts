import type { Node, SelectStmt } from '@pgsql/types';
import type { Catalogue } from '../catalogue.ts';
import { isSame, visit } from '../syntax/visit.ts';

/**
 * Why a changed text gives the same rows: for any data; for any data that the schema allows (keys, references, columns that are never null);
 * or only as far as it was tried.
 */
export type Proof = 'always' | 'schema' | 'trial';

export interface Rewrite {
  /** What is done, a few words. */
  readonly words: string;
  /** Why that may be faster, one sentence. */
  readonly why: string;
  readonly proof: Proof;
  readonly select: SelectStmt;
}

export interface Place {
  readonly catalogue: Catalogue;
  /** The whole statement, in which new names must be new. */
  readonly root: unknown;
}

/** One way to say a SELECT otherwise: all that it finds to change in it, each by itself. */
export type Rule = (select: SelectStmt, place: Place) => Rewrite[];

/** Whether an expression holds an aggregate of its own query; those of queries within it are theirs. */
export function hasAggregate(expression: unknown, { functions }: Catalogue): boolean {
  let found = false;
  visit({ root: expression }, (kind, value) => {
    if (kind === 'SubLink') return false;
    if (kind === 'FuncCall' && !value.over) {
      const last = (value.funcname as Node[] | undefined)?.at(-1);
      const name = last && 'String' in last ? (last.String.sval ?? '') : '';
      if (value.agg_star || functions.get(name)?.isAggregate) found = true;
    }
    return !found;
  });
  return found;
}

export function hasWindow(expression: unknown): boolean {
  let found = false;
  visit({ root: expression }, (kind, value) => {
    if (kind === 'SubLink') return false;
    if (kind === 'FuncCall' && value.over) found = true;
    return !found;
  });
  return found;
}

/** Rows of a FROM under a WHERE, each given as it is: nothing grouped, sorted away, cut off or joined from several SELECTs. */
export function isPlain(it: SelectStmt, catalogue: Catalogue): boolean {
  return (
    it.op === 'SETOP_NONE' &&
    !it.valuesLists &&
    !it.groupClause &&
    !it.havingClause &&
    !it.distinctClause &&
    !it.limitCount &&
    !it.limitOffset &&
    !it.windowClause &&
    !it.lockingClause &&
    (it.fromClause?.length ?? 0) > 0 &&
    !hasAggregate(it.targetList, catalogue) &&
    !hasWindow(it.targetList)
  );
}

/** Whether a SELECT gives all columns of its FROM by `*`: then no range can be added to it. */
export function givesStar({ targetList }: SelectStmt): boolean {
  return (targetList ?? []).some((it) => {
    const value = 'ResTarget' in it ? it.ResTarget.val : undefined;
    return value && 'ColumnRef' in value && value.ColumnRef.fields?.length === 1 && 'A_Star' in value.ColumnRef.fields[0];
  });
}

/** The names under which a SELECT gives its columns; undefined where none is written and none follows from it. */
export function outputNames({ targetList }: SelectStmt): (string | undefined)[] {
  return (targetList ?? []).map((it) => {
    if (!('ResTarget' in it)) return undefined;
    if (it.ResTarget.name) return it.ResTarget.name;
    const value = it.ResTarget.val;
    if (value && 'ColumnRef' in value) {
      const last = value.ColumnRef.fields?.at(-1);
      return last && 'String' in last ? last.String.sval : undefined;
    }
    if (value && 'FuncCall' in value) {
      const last = value.FuncCall.funcname?.at(-1);
      return last && 'String' in last ? last.String.sval : undefined;
    }
    return undefined;
  });
}

/** The same conditions without some of them. */
export function without(conditions: readonly Node[], ...left: readonly Node[]): Node[] {
  return conditions.filter((it) => !left.some((other) => other === it || isSame(other, it)));
}
