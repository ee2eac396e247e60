import type { z } from 'zod';
import type { CaseContent } from '../../core/casebook/caseContent.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { plainInMarkdown } from '../../core/markdown/markdownText.ts';
import { condition } from '../../core/scope/condition.ts';
import { writeCondition } from '../../core/scope/conditionText.ts';
import { shortIso } from '../../core/time/iso.ts';
import { originWords } from '../../core/topology/origin/originWords.ts';
import { faultLead, slowLead } from '../../core/visits/leadWords.ts';
import { incidentById } from '../../store/incidents/incidents.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { ApiError, ask } from '../endpoint.ts';
import { describeIncident, type Incident } from '../incidents/incidents.ts';
import { starts } from '../map/starts.ts';
import { visitorPagesList } from '../visitors/pages.ts';
import { visitorVersions } from '../visitors/versions.ts';
import { type PinRequest, pinRequest } from './makePin.ts';

/** Before an incident is lit, so that its beginning is seen. */
const LEAD_MS = 5 * 60_000;
const MOST_SHIFTS = 3;
/** Changes before it that are told, and how long before. */
const MOST_CHANGES = 6;
const CHANGES_MS = 30 * 60_000;
const MS = 1_000_000n;
/** Kinds of series that are of visits: requests do not say whom they harm. */
const VISITS: ReadonlySet<string> = new Set(['page', 'struggle']);
/** A place with less of the extra waiting is not told beside the others. */
const CONSIDERABLE = 0.2;
const PHASES: Readonly<Record<string, string>> = { begin: ' began', end: ' ended' };

/** What a case of an incident begins with: its title and time, what moved, and what is pinned of it. @throws ApiError when it is not stored */
export async function caseOfIncident(
  id: number,
  now: number,
): Promise<{ content: Partial<CaseContent>; pins: readonly PinRequest[] }> {
  const row = await incidentById(id);
  if (!row) throw new ApiError(404, `No incident ${id} is stored.`);
  const found = await describeIncident(row);
  const it = { ...found, where: found.where || (await whereOf(found)) };
  const changes = await changesBetween(BigInt(it.from - CHANGES_MS) * MS, BigInt(it.from + LEAD_MS) * MS);
  const pins = pinsOf(it).map((pin) => pinRequest.parse(pin));
  const leads = await Promise.all(
    pins.map(({ kind, query }) => leadOf(kind, query, it.shifts[0]?.words.startsWith('failing') ?? false)),
  );
  const isOfVisits = VISITS.has(it.shifts[0]?.kind ?? '');
  const moved = it.shifts.slice(0, MOST_SHIFTS).map((shift) => `${shift.owner} ${shift.name}: ${shift.words}`);
  return {
    content: {
      title: it.title,
      since: it.from,
      until: it.state === 'closed' ? it.to : null,
      where: it.where,
      countsRequests: !isOfVisits,
      visitsOf: isOfVisits ? it.shifts[0].owner : '',
      incidents: [id],
      entries: [
        // What was changed shortly before stands in its place in time: often that is the cause, and else it is to be ruled out.
        ...changes.slice(0, MOST_CHANGES).map(({ at, title, phase, kind }, index) => ({
          id: `change-${index}`,
          at,
          page: '',
          text: plainInMarkdown(`${title}${PHASES[phase] ?? ''} (${kind})`),
          pins: [],
          by: '',
        })),
        {
          id: `incident-${id}`,
          at: Math.min(it.found, now),
          page: 'Incidents',
          text: plainInMarkdown(`${it.source === 'rule' ? 'A rule fired' : 'Found by itself'}: ${moved.join('; ')}`),
          pins: [],
          by: '',
        },
      ],
    },
    pins: pins.map((pin, at) => (leads[at] === '' ? pin : { ...pin, hypothesis: leads[at], words: leads[at] })),
  };
}

/**
 * The condition that leaves the requests that an incident is of: those of its journeys, else those through the service or host whose measure moved.
 * Others may be in trouble of their own at the same time. Empty for none.
 */
async function whereOf({ journeys, shifts: [lead] }: Incident): Promise<string> {
  const entries = (await namedJourneys()).filter(({ name }) => journeys.includes(name)).flatMap((journey) => journey.entries);
  if (entries.length > 0) return writeCondition(condition('entry', 'is', ...entries));
  if (lead?.kind !== 'metric') return '';
  return writeCondition(condition(lead.path.startsWith('/machines/hosts/') ? 'host.name' : 'service', 'is', lead.owner));
}

/** What a pin of an incident makes of it, as a hypothesis; empty when that is not clear, or when it only shows. */
async function leadOf(kind: string, query: Readonly<Record<string, string>>, isFailing: boolean): Promise<string> {
  const app = query.app ?? '';
  switch (kind) {
    case 'starts':
      return startLead(query, isFailing);
    case 'pages':
      return slowLead(app, (await ask(visitorPagesList, query)).whole);
    case 'crashes': {
      const { faults, counts } = await ask(visitorVersions, query);
      return faultLead(app, faults, { lit: counts.lit.visits, before: counts.before.visits });
    }
    default:
      return '';
  }
}

/** Where it starts and in which way. Where several places have a considerable part of it, all of them with their shares. */
async function startLead(query: Readonly<Record<string, string>>, isFailing: boolean): Promise<string> {
  const { slowness, failures } = await ask(starts, query);
  const slow = slowness.origins.filter((origin) => origin.starts && origin.share >= CONSIDERABLE);
  const failing = failures.origins.find((origin) => origin.starts);
  if (slowness.machine && !isFailing) return `It starts on ${slowness.machine.name}: all that got slower is on this machine`;
  const places = slow.map((origin) => {
    const only = origin.only.map(({ what, name }) => `only ${what} ${name}`);
    const share = slow.length > 1 ? ` (${formatShare(origin.share)})` : '';
    return `at ${origin.party}${share}: ${[originWords(origin), ...only].filter((words) => words !== '').join(', ')}`;
  });
  const slowWords = slowness.extraNs > 0 && places.length > 0 ? `It starts ${places.join('; and ')}` : '';
  const failingWords = failing ? `Failures start at ${failing.party}${failing.what === '' ? '' : `: ${failing.what}`}` : '';
  return isFailing ? failingWords || slowWords : slowWords || failingWords;
}

/** What shows an incident: the journeys that it is of and where they start; else the thing whose measure moved. */
function pinsOf(it: Incident): z.input<typeof pinRequest>[] {
  const query = { from: shortIso(it.from - LEAD_MS), to: shortIso(it.to), ...(it.where === '' ? {} : { where: it.where }) };
  const scope = new URLSearchParams(query).toString();
  const page = (path: string) => `${path}${path.includes('?') ? '&' : '?'}${scope}`;
  if (it.journeys.length > 0)
    return [
      ...it.journeys
        .slice(0, 2)
        .map((name) => ({ kind: 'journey' as const, query, part: { name }, path: page('/now'), page: 'Now' })),
      { kind: 'starts' as const, query, path: page('/map'), page: 'Map' },
    ];
  const lead = it.shifts[0];
  if (!lead) return [];
  const path = page(lead.path);
  switch (lead.kind) {
    case 'page':
    case 'struggle':
      return [
        { kind: 'pages', query: { ...query, app: lead.owner }, path, page: 'Visitors' },
        {
          kind: 'crashes',
          query: { ...query, app: lead.owner },
          path: page(`/visitors/versions?app=${encodeURIComponent(lead.owner)}`),
          page: 'Visitors',
        },
      ];
    case 'metric':
      return lead.path.startsWith('/machines/hosts/')
        ? [{ kind: 'host', query: { ...query, name: lead.owner }, path, page: 'Machines' }]
        : [{ kind: 'pods', query: { ...query, label: `app=${lead.owner}` }, path, page: 'Machines' }];
    case 'load':
      return [
        {
          kind: 'load',
          query: { ...query, name: lead.owner },
          path: page(`/databases/${encodeURIComponent(lead.owner)}`),
          page: 'Databases',
        },
      ];
    case 'shape':
      return [{ kind: 'shapes', query: { ...query, ...shapeIn(lead.path) }, path, page: 'Logs' }];
    case 'operation':
      return [{ kind: 'service', query: { ...query, name: lead.owner }, path, page: 'Map' }];
  }
}

/** The shape that a path to its lines is of. */
function shapeIn(path: string): { shape?: string } {
  const shape = new URLSearchParams(path.split('?')[1]).get('shape');
  return shape === null ? {} : { shape };
}
