import * as Y from 'yjs';
import { parseCondition, splitConditions } from '../../scope/conditionText.ts';
import {
  type AskedOf,
  CASE_STATES,
  type CaseContent,
  type CaseEntry,
  type CaseMark,
  EMPTY_CASE,
  type Hypothesis,
  IMPACT_FIELDS,
  type ImpactField,
  STANDINGS,
} from '../caseContent.ts';

/**
 * A case as a document that several people edit at once (Yjs): what each writes is merged, so that nobody's text is lost. Texts are
 * shared letter by letter; everything else is the value that was set last.
 */

/** Texts of the case itself that are shared letter by letter. */
export const CASE_TEXTS = ['title', 'team', 'notes', 'helped', 'words'] as const;
export type CaseText = (typeof CASE_TEXTS)[number];

/** Lists of the case, by the id of their members. */
export const CASE_LISTS = ['entries', 'hypotheses', 'asked', 'marks'] as const;
export type CaseList = (typeof CASE_LISTS)[number];

type Member = CaseEntry | Hypothesis | AskedOf | CaseMark;
type Fields = Readonly<Record<string, unknown>>;

/** Members of a list that are read; nobody needs more, and an update may hold any number. */
const MOST_MEMBERS = 500;
const MOST_PINS = 40;
const LONGEST_LINE = 2_000;
const LONGEST_NOTES = 200_000;
/** Texts of a member that are shared letter by letter. */
const SHARED: readonly string[] = ['text', 'reason'];

function root(doc: Y.Doc): Y.Map<unknown> {
  return doc.getMap('case');
}

/** Values of the case itself, each set as a whole. */
const CASE_VALUES = ['state', 'since', 'until', 'where', 'countsRequests', 'visitsOf', 'keptBy', 'amountKey'] as const;

/** Fills a new document. */
export function fillCase(doc: Y.Doc, content: CaseContent): void {
  doc.transact(() => {
    const map = root(doc);
    for (const name of CASE_TEXTS) map.set(name, new Y.Text(content[name]));
    for (const name of CASE_VALUES) map.set(name, content[name]);
    map.set('impact', new Y.Map(Object.entries(content.impact)));
    map.set('incidents', new Y.Map(content.incidents.map((id) => [String(id), true])));
    for (const list of CASE_LISTS) {
      map.set(list, new Y.Map());
      for (const member of content[list]) putMember(doc, list, member);
    }
  });
}

/** Puts a member into a list, in place of the one of its id. */
export function putMember(doc: Y.Doc, list: CaseList, { id, ...fields }: Member): void {
  const values = Object.entries(fields).map(([name, value]): [string, unknown] => [
    name,
    SHARED.includes(name) ? new Y.Text(value as string) : value,
  ]);
  listOf(doc, list).set(id, new Y.Map(values));
}

export function removeMember(doc: Y.Doc, list: CaseList, id: string): void {
  listOf(doc, list).delete(id);
}

/** Sets values of a member that are not shared letter by letter. Nothing happens when somebody has removed it. */
export function setMember(doc: Y.Doc, list: CaseList, id: string, fields: Fields): void {
  const member = listOf(doc, list).get(id);
  if (!(member instanceof Y.Map)) return;
  doc.transact(() => {
    for (const [name, value] of Object.entries(fields)) member.set(name, value);
  });
}

/** Sets values of the case itself. */
export function setCase(doc: Y.Doc, fields: Partial<Pick<CaseContent, (typeof CASE_VALUES)[number]>>): void {
  doc.transact(() => {
    for (const [name, value] of Object.entries(fields)) root(doc).set(name, value);
  });
}

/** Sets a figure of the impact; undefined goes back to what is worked out. */
export function setImpact(doc: Y.Doc, field: ImpactField, value: number | undefined): void {
  const impact = root(doc).get('impact');
  if (!(impact instanceof Y.Map)) return;
  if (value === undefined) impact.delete(field);
  else impact.set(field, value);
}

/** Has a case refer to an incident. */
export function addIncident(doc: Y.Doc, id: number): void {
  const incidents = root(doc).get('incidents');
  if (incidents instanceof Y.Map) incidents.set(String(id), true);
}

/** A text of the case; undefined in a document that has none. */
export function caseText(doc: Y.Doc, name: CaseText): Y.Text | undefined {
  const text = root(doc).get(name);
  return text instanceof Y.Text ? text : undefined;
}

/** A text of a member of a list; undefined when somebody has removed it. */
export function memberText(doc: Y.Doc, list: CaseList, id: string, name: 'text' | 'reason'): Y.Text | undefined {
  const member = listOf(doc, list).get(id);
  const text = member instanceof Y.Map ? member.get(name) : undefined;
  return text instanceof Y.Text ? text : undefined;
}

/** Makes the document say what a content says, with as few changes as its lists and texts allow. For going back to an earlier version. */
export function rewriteCase(doc: Y.Doc, content: CaseContent): void {
  const now = readCase(doc);
  doc.transact(() => {
    for (const name of CASE_TEXTS) rewriteText(caseText(doc, name), content[name]);
    for (const name of CASE_VALUES) if (now[name] !== content[name]) root(doc).set(name, content[name]);
    for (const field of IMPACT_FIELDS)
      if (now.impact[field] !== content.impact[field]) setImpact(doc, field, content.impact[field]);
    for (const list of CASE_LISTS) {
      const wanted = new Map<string, Member>((content[list] as readonly Member[]).map((it) => [it.id, it]));
      for (const { id } of now[list]) if (!wanted.has(id)) removeMember(doc, list, id);
      const held = new Map<string, Member>((now[list] as readonly Member[]).map((it) => [it.id, it]));
      for (const member of wanted.values())
        if (JSON.stringify(held.get(member.id)) !== JSON.stringify(member)) putMember(doc, list, member);
    }
  });
}

function rewriteText(text: Y.Text | undefined, wanted: string): void {
  if (!text || text.toString() === wanted) return;
  text.delete(0, text.length);
  text.insert(0, wanted);
}

/** What a document says. What is not as it should be is left out: a document may come from anywhere. */
export function readCase(doc: Y.Doc): CaseContent {
  const map = root(doc);
  const impact = map.get('impact');
  const incidents = map.get('incidents');
  return {
    title: textIn(map.get('title'), 300),
    state: oneOf(CASE_STATES, map.get('state')) ?? EMPTY_CASE.state,
    since: timeIn(map.get('since')),
    until: timeIn(map.get('until')),
    where: conditionsIn(map.get('where')),
    countsRequests: map.get('countsRequests') !== false,
    visitsOf: textIn(map.get('visitsOf'), 200),
    keptBy: textIn(map.get('keptBy'), 100),
    team: textIn(map.get('team'), 200),
    notes: textIn(map.get('notes'), LONGEST_NOTES),
    helped: textIn(map.get('helped')),
    words: textIn(map.get('words'), LONGEST_NOTES),
    impact: Object.fromEntries(
      IMPACT_FIELDS.flatMap((field) => {
        const value = impact instanceof Y.Map ? impact.get(field) : undefined;
        return typeof value === 'number' && Number.isFinite(value) ? [[field, value]] : [];
      }),
    ),
    amountKey: textIn(map.get('amountKey'), 200),
    incidents:
      incidents instanceof Y.Map
        ? [...incidents.keys()]
            .map(Number)
            .filter((id) => Number.isSafeInteger(id) && id > 0)
            .slice(0, MOST_MEMBERS)
        : [],
    entries: members(
      doc,
      'entries',
      (id, it): CaseEntry => ({
        id,
        at: timeIn(it.get('at')) ?? 0,
        page: textIn(it.get('page'), 100),
        text: textIn(it.get('text')),
        pins: idsIn(it.get('pins')),
        by: textIn(it.get('by'), 100),
      }),
    ).sort((a, b) => a.at - b.at || compare(a.id, b.id)),
    hypotheses: members(
      doc,
      'hypotheses',
      (id, it): Hypothesis => ({
        id,
        order: orderIn(it.get('order')),
        text: textIn(it.get('text')),
        standing: oneOf(STANDINGS, it.get('standing')) ?? 'open',
        reason: textIn(it.get('reason')),
        for: idsIn(it.get('for')),
        against: idsIn(it.get('against')),
      }),
    ).sort(byOrder),
    asked: members(
      doc,
      'asked',
      (id, it): AskedOf => ({ id, order: orderIn(it.get('order')), text: textIn(it.get('text')) }),
    ).sort(byOrder),
    marks: members(
      doc,
      'marks',
      (id, it): CaseMark => ({ id, at: timeIn(it.get('at')) ?? 0, text: textIn(it.get('text')) }),
    ).sort((a, b) => a.at - b.at || compare(a.id, b.id)),
  };
}

function listOf(doc: Y.Doc, list: CaseList): Y.Map<unknown> {
  const found = root(doc).get(list);
  if (found instanceof Y.Map) return found;
  const made = new Y.Map<unknown>();
  root(doc).set(list, made);
  return made;
}

function members<Of>(doc: Y.Doc, list: CaseList, read: (id: string, it: Y.Map<unknown>) => Of): Of[] {
  const found = root(doc).get(list);
  if (!(found instanceof Y.Map)) return [];
  return [...found.entries()]
    .flatMap(([id, it]) => (it instanceof Y.Map && isId(id) ? [read(id, it)] : []))
    .slice(0, MOST_MEMBERS);
}

function textIn(value: unknown, longest = LONGEST_LINE): string {
  const text = value instanceof Y.Text ? value.toString() : typeof value === 'string' ? value : '';
  // No text of PostgreSQL holds a zero, and no JSON of it half a letter, which a cut may leave.
  return text
    .slice(0, longest)
    .replaceAll('\0', '')
    .replace(/\p{Surrogate}/gu, '\ufffd');
}

const LONGEST_ID = 60;

function isId(value: unknown): value is string {
  return typeof value === 'string' && value !== '' && value.length <= LONGEST_ID;
}

/** The last moment that a date can have. */
const LAST_TIME = 8.64e15;

function timeIn(value: unknown): number | null {
  return typeof value === 'number' && value >= 0 && value <= LAST_TIME ? value : null;
}

function orderIn(value: unknown): number {
  return typeof value === 'number' && Number.isFinite(value) ? value : 0;
}

function idsIn(value: unknown): string[] {
  return Array.isArray(value) ? value.filter(isId).slice(0, MOST_PINS) : [];
}

function conditionsIn(value: unknown): string {
  const text = textIn(value);
  return splitConditions(text).every((it) => typeof parseCondition(it) !== 'string') ? text : '';
}

function oneOf<Of extends string>(all: readonly Of[], value: unknown): Of | undefined {
  return all.find((it) => it === value);
}

function compare(a: string, b: string): number {
  return a < b ? -1 : a > b ? 1 : 0;
}

function byOrder(a: { order: number; id: string }, b: { order: number; id: string }): number {
  return a.order - b.order || compare(a.id, b.id);
}
