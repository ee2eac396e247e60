import type { CaseContent, CaseEntry } from '../../core/casebook/caseContent.ts';
import { putMember } from '../../core/casebook/doc/caseDoc.ts';
import type { LiveCase } from './caseSync.ts';

/** An id of its own, also where pages come over no safe way, in which browsers make none. */
export function newId(): string {
  return typeof crypto.randomUUID === 'function'
    ? crypto.randomUUID()
    : [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, '0')).join('');
}

/** Writes an entry into the log. */
export function addEntry({ doc }: LiveCase, entry: Omit<CaseEntry, 'id' | 'pins'>): void {
  putMember(doc, 'entries', { id: newId(), pins: [], ...entry });
}

export function addHypothesis({ doc, content }: LiveCase, text: string): void {
  putMember(doc, 'hypotheses', {
    id: newId(),
    order: nextOrder(content.hypotheses),
    text,
    standing: 'open',
    reason: '',
    for: [],
    against: [],
  });
}

export function addAsked({ doc, content }: LiveCase, text: string): void {
  putMember(doc, 'asked', { id: newId(), order: nextOrder(content.asked), text });
}

export function addMark({ doc }: LiveCase, at: number, text: string): void {
  putMember(doc, 'marks', { id: newId(), at, text });
}

function nextOrder(members: CaseContent['asked'] | CaseContent['hypotheses']): number {
  return Math.max(0, ...members.map(({ order }) => order)) + 1;
}
