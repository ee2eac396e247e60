import { ColumnWriter } from '../columns/columnWriter.ts';
import type { Segment } from '../columns/segment.ts';
import { VITAL_NAMES } from './figures/vitals.ts';
import { PHASES } from './loadPhases.ts';
import { SIGNS } from './struggle.ts';
import { DETAIL, textIn } from './visitEvent.ts';
import { partyCosts, type Visit } from './visitOf.ts';

/*
 * Visits as columns, a part each for visits, their views, what went wrong in them, and what third parties cost. Rows of the other parts name
 * their visit by its row. What may be missing is stored with 1 added, so that 0 says missing.
 */

export const VISIT_PARTS = ['visits', 'views', 'faults', 'parties'] as const;
export type VisitPart = (typeof VISIT_PARTS)[number];

/** Facets of a visit, in columns of their names. */
export const FACETS = ['app', 'version', 'region', 'browser', 'device', 'os'] as const;
export type Facet = (typeof FACETS)[number];

/** Steps of one visit that are stored. */
const MOST_STEPS = 200;
const MOST_VIEWS = 200;
const MOST_FAULTS = 20;
const LONGEST_NAME = 200;
const LONGEST_STACK = 2_000;
/** The greatest that a column of whole numbers holds. */
const MOST = 2 ** 32 - 2;

/** What a step did, as flags of the column `stepFlags`. */
export const STEP_WORKED = 1;
export const STEP_ERROR = 2;
export const STEP_CRASH = 4;

/** @param fromMs epoch milliseconds that times are counted from */
export function visitSegments(visits: Iterable<Visit>, fromMs: number): Record<VisitPart, Segment> {
  const writers = {
    visits: new ColumnWriter(),
    views: new ColumnWriter(),
    faults: new ColumnWriter(),
    parties: new ColumnWriter(),
  };
  for (const visit of visits) {
    const row = writers.visits.rows;
    writeViews(writers.views, writers.parties, visit, row);
    writeFaults(writers.faults, visit, row);
    writeVisit(writers.visits, visit, fromMs);
  }
  return {
    visits: writers.visits.finish(),
    views: writers.views.finish(),
    faults: writers.faults.finish(),
    parties: writers.parties.finish(),
  };
}

function whole(value: number): number {
  return Math.min(MOST, Math.max(0, Math.round(value)));
}

function writeVisit(writer: ColumnWriter, visit: Visit, fromMs: number): void {
  writer.text('session', visit.session.slice(0, LONGEST_NAME));
  writer.text('app', visit.app);
  if (visit.user) writer.text('user', visit.user.slice(0, LONGEST_NAME));
  for (const facet of FACETS) if (facet !== 'app' && visit.about[facet]) writer.text(facet, visit.about[facet]);
  if (visit.isNew !== undefined) writer.code('new', visit.isNew ? 2 : 1);
  for (const [name, value] of visit.more) writer.addText('more', `${name}\0${value}`);
  writer.code('at', whole(visit.fromMs - fromMs));
  writer.code('lasted', whole(visit.toMs - visit.fromMs));
  writer.code('waited', whole(visit.waitedMs));
  writer.code('views', visit.views.length);
  writer.code('actions', visit.steps.filter(({ kind }) => kind === 'action').length);
  writer.code('resources', visit.events.filter(({ kind }) => kind === 'resource').length);
  writer.code('errors', visit.faults.filter(({ kind }) => kind === 'error').length);
  writer.code('crashes', visit.faults.filter(({ kind }) => kind === 'crash').length);
  for (const sign of SIGNS) writer.code(sign, visit.signs.filter(({ kind }) => kind === sign).length);
  for (const sign of visit.signs) writer.addText('signs', `${sign.kind}\0${sign.page}\0${sign.name}`.slice(0, 2 * LONGEST_NAME));
  if (visit.startMs !== undefined) writer.code('start', whole(visit.startMs) + 1);
  writer.code('masked', whole(visit.masked));
  for (const [at, step] of visit.steps.slice(0, MOST_STEPS).entries()) {
    const until = visit.steps[at + 1]?.atMs ?? Number.POSITIVE_INFINITY;
    const within = visit.faults.filter(({ atMs }) => atMs >= step.atMs && atMs < until);
    writer.addText('step', `${step.kind} ${step.name}`.slice(0, LONGEST_NAME));
    writer.addCode('stepAt', whole(step.atMs - visit.fromMs));
    writer.addCode('stepTook', step.tookMs === null ? 0 : whole(step.tookMs) + 1);
    writer.addCode(
      'stepFlags',
      (step.worked ? STEP_WORKED : 0) +
        (within.some(({ kind }) => kind === 'error') ? STEP_ERROR : 0) +
        (within.some(({ kind }) => kind === 'crash') ? STEP_CRASH : 0),
    );
  }
  writer.endRow();
}

function writeViews(writer: ColumnWriter, parties: ColumnWriter, visit: Visit, row: number): void {
  for (const view of visit.views.slice(0, MOST_VIEWS)) {
    for (const cost of partyCosts(view)) {
      parties.code('visit', row);
      parties.text('party', cost.party.slice(0, LONGEST_NAME));
      parties.text('page', view.page.slice(0, LONGEST_NAME));
      parties.code('at', whole(view.atMs - visit.fromMs));
      for (const name of ['requests', 'failed', 'bytes', 'requestUs', 'heldUs', 'busyUs'] as const)
        parties.code(name, whole(cost[name]));
      parties.endRow();
    }
    writer.code('visit', row);
    writer.text('page', view.page.slice(0, LONGEST_NAME));
    writer.code('at', whole(view.atMs - visit.fromMs));
    if (view.readyUs !== undefined) {
      writer.code('ready', whole(view.readyUs) + 1);
      for (const phase of PHASES) writer.code(phase, whole(view.phases[phase]));
      if (view.party) writer.text('party', view.party.slice(0, LONGEST_NAME));
      if (view.script) writer.text('script', view.script.slice(0, LONGEST_NAME));
    }
    for (const vital of VITAL_NAMES) {
      const value = view.vitals[vital];
      if (value !== undefined) writer.code(vital, whole(value) + 1);
    }
    for (const sign of SIGNS) writer.code(sign, view.signs.filter(({ kind }) => kind === sign).length);
    writer.code('errors', view.errors + view.crashes);
    writer.code('last', view.isLast ? 1 : 0);
    writer.endRow();
  }
}

function writeFaults(writer: ColumnWriter, visit: Visit, row: number): void {
  for (const fault of visit.faults.slice(0, MOST_FAULTS)) {
    writer.code('visit', row);
    writer.code('at', whole(fault.atMs - visit.fromMs));
    writer.text('kind', fault.kind);
    writer.text('page', fault.page.slice(0, LONGEST_NAME));
    writer.text('name', fault.name.slice(0, LONGEST_NAME));
    writer.text('stack', textIn(fault.detail, DETAIL.stack).slice(0, LONGEST_STACK));
    writer.endRow();
  }
}
