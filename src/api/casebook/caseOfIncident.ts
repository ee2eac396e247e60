import type { z } from 'zod';
import type { CaseContent } from '../../core/casebook/caseContent.ts';
import { plainInMarkdown } from '../../core/casebook/handover/markdownText.ts';
import { shortIso } from '../../core/time/iso.ts';
import { incidentById } from '../../store/incidents/incidents.ts';
import { ApiError } from '../endpoint.ts';
import { describeIncident, type Incident } from '../incidents/incidents.ts';
import { type PinRequest, pinRequest } from './makePin.ts';

/** Before an incident is lit, so that its beginning is seen. */
const LEAD_MS = 5 * 60_000;
const MOST_SHIFTS = 3;

/** What a case of an incident begins with: its title and time, what moved, and what is pinned of it. @throws ApiError when it is not stored */
export async function caseOfIncident(
  id: number,
  now: number,
): Promise<{ content: Partial<CaseContent>; pins: readonly PinRequest[] }> {
  const row = await incidentById(id);
  if (!row) throw new ApiError(404, `No incident ${id} is stored.`);
  const it = await describeIncident(row);
  const moved = it.shifts.slice(0, MOST_SHIFTS).map((shift) => `${shift.owner} ${shift.name}: ${shift.words}`);
  return {
    content: {
      title: it.title,
      since: it.from,
      until: it.state === 'closed' ? it.to : null,
      where: it.where,
      incidents: [id],
      entries: [
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
    pins: pinsOf(it).map((pin) => pinRequest.parse(pin)),
  };
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
      return [{ kind: 'pages', query: { ...query, app: lead.owner }, path, page: 'Visitors' }];
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
      return [{ kind: 'shapes', query, path: page('/logs'), page: 'Logs' }];
    case 'operation':
      return [{ kind: 'service', query: { ...query, name: lead.owner }, path, page: 'Map' }];
  }
}
