import type { ReactNode } from 'react';
import type { OneCase } from '../../api/casebook/cases.ts';
import {
  type CaseContent,
  countedVisits,
  type ImpactField,
  impactOf,
  isWorkedOut,
  NO_IMPACT,
} from '../../core/casebook/caseContent.ts';
import { setCase, setImpact } from '../../core/casebook/doc/caseDoc.ts';
import { failedWords } from '../../core/casebook/impactWords.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { readTypedMoment } from '../../core/scope/typedMoment.ts';
import { dayTime } from '../../core/time/clock.ts';
import { formatDuration, parseDuration } from '../../core/time/duration.ts';
import styles from '../../ui/casebook/Casebook.module.css';
import type { LiveCase } from '../../ui/casebook/caseSync.ts';
import { useZone } from '../../ui/state/zone.ts';
import { TypedPopover } from '../../ui/typing/TypedPopover.tsx';
import page from './Case.module.css';
import { useImpactOf } from './useImpactOf.ts';

const MOST_NAMED = 4;

/** Since when, until when, and what it did to people: worked out from the stored requests or visits; each figure can be set by hand instead. */
export function ImpactStrip({ live, first, now }: { live: LiveCase; first: OneCase; now: number }) {
  const zone = useZone();
  const { doc, content } = live;
  const { since, until, amountKey } = content;
  const visits = countedVisits(content);
  const found = useImpactOf(live);
  const worked = (isWorkedOut(content) ? (found.data?.impact ?? first.worked) : null) ?? NO_IMPACT;
  const it = impactOf(content, worked);
  const isSet = (field: ImpactField) => content.impact[field] !== undefined;
  const moment = (field: 'since' | 'until', value: number | null) => (
    <Cell name={field} isSet={false}>
      <TypedPopover
        button={value === null ? (field === 'since' ? 'when?' : 'still on') : dayTime(value, zone, now)}
        buttonClass={page.figure}
        label={field === 'since' ? 'Since when' : 'Until when'}
        placeholder="10:21, or yesterday 23:50"
        take={(typed) => {
          const read = readTypedMoment(typed.toLowerCase(), zone, Date.now());
          if (!read) return 'Not understood: type a time such as 10:21, or a day with a time';
          if (field === 'since' && until !== null && read.at >= until) return 'That is after it ended';
          if (field === 'until' && since !== null && read.at <= since) return 'That is before it began';
          setCase(doc, { [field]: read.at });
          return undefined;
        }}
        below={(close) =>
          value === null ? null : (
            <button
              type="button"
              className={styles.quiet}
              onClick={() => {
                setCase(doc, { [field]: null });
                close();
              }}
            >
              {field === 'since' ? 'not known' : 'still going on'}
            </button>
          )
        }
      />
    </Cell>
  );
  const figure = (field: ImpactField, name: string, shown: string, read: (typed: string) => number | undefined, note = '') => (
    <Cell name={name} isSet={isSet(field)} note={note}>
      <TypedPopover
        button={shown}
        buttonClass={page.figure}
        label={`Set ${name}`}
        placeholder={shown}
        take={(typed) => {
          const value = read(typed);
          if (value === undefined) return 'Not understood: a number is expected, of waiting a duration such as 3h';
          setImpact(doc, field, value);
          return undefined;
        }}
        below={(close) =>
          isSet(field) ? (
            <button
              type="button"
              className={styles.quiet}
              onClick={() => {
                setImpact(doc, field, undefined);
                close();
              }}
            >
              use what is worked out
            </button>
          ) : (
            <p className="dim">Worked out from the {visits === '' ? 'requests' : 'visits'} of that time.</p>
          )
        }
      />
    </Cell>
  );
  const count = (value: number | null) => (value === null ? '–' : formatCount(Math.round(value)));
  return (
    <>
      <dl className={page.strip} aria-busy={found.isFetching}>
        {moment('since', since)}
        {moment('until', until)}
        {figure('people', 'people', count(it.people), number)}
        {figure('failed', failedWords(visits), count(it.failed), number, it.requests === null ? '' : `of ${count(it.requests)}`)}
        {figure('waitingNs', 'extra waiting', it.waitingNs === null ? '–' : formatDuration(it.waitingNs), parseDuration)}
        {figure(
          'amount',
          `${amountKey} lost`,
          count(it.amount),
          number,
          it.amountLeast === null || it.amountMost === null ? '' : `${count(it.amountLeast)}–${count(it.amountMost)}`,
        )}
      </dl>
      <p className={page.stripNote}>
        {isWorkedOut(content)
          ? stripNote(found.data, { since, visits }, found.error)
          : 'It is not about requests: set the figures by hand.'}{' '}
        <button type="button" className={styles.quiet} onClick={() => setCase(doc, { countsRequests: !content.countsRequests })}>
          {toggleWords(content)}
        </button>
      </p>
    </>
  );
}

/** What the button does that chooses what is counted. */
function toggleWords({ countsRequests, visitsOf }: Pick<CaseContent, 'countsRequests' | 'visitsOf'>): string {
  if (!countsRequests) return 'count the requests of its time';
  return visitsOf === '' ? 'it is not about requests' : `count the visits of ${visitsOf}`;
}

function stripNote(
  found: ReturnType<typeof useImpactOf>['data'],
  { since, visits }: { readonly since: number | null; readonly visits: string },
  error: Error | null,
): string {
  if (error) return `Impact could not be worked out: ${error.message}`;
  if (since === null) return 'Say since when: then the impact is worked out.';
  if (!found) return 'Working out the impact …';
  if (!found.isStored)
    return found.impact ? 'As it was worked out while its time was stored.' : 'Its time is not stored: set the figures by hand.';
  if (found.leftOut !== '') return `Not of all requests: without ${found.leftOut}.`;
  if (visits !== '')
    return found.journeys.length === 0
      ? `No page of ${visits} got worse in this time beyond chance.`
      : `Of visits of ${visits} on ${pageWords(found.journeys)}. Waiting and people are beyond what is usual.`;
  return found.journeys.length === 0
    ? 'No journey got worse in this time beyond chance.'
    : `Of ${found.journeys.join(', ')}. Waiting and people are beyond what is usual.`;
}

/** Pages by name, as many as fit a line. */
function pageWords(pages: readonly string[]): string {
  const more = pages.length - MOST_NAMED;
  return `${pages.slice(0, MOST_NAMED).join(', ')}${more > 0 ? ` and ${more} more` : ''}`;
}

function number(typed: string): number | undefined {
  const value = Number(typed.replace(/[\s\u202f,]/g, ''));
  return typed.trim() !== '' && Number.isFinite(value) && value >= 0 ? value : undefined;
}

function Cell({ name, isSet, note = '', children }: { name: string; isSet: boolean; note?: string; children: ReactNode }) {
  return (
    <div>
      <dt>
        {name}
        {isSet && <span className={page.set}> set by hand</span>}
      </dt>
      <dd suppressHydrationWarning>
        {children} {note !== '' && <span className={styles.dim}>{note}</span>}
      </dd>
    </div>
  );
}
