import type { Least } from '../core/accounts/role.ts';
import { ACCOUNT_ENDPOINTS, ACCOUNT_RAW_ENDPOINTS } from './accounts/registered.ts';
import { askAnything } from './ask/ask.ts';
import { caseFileSchemaFile, exportCase, importCase } from './casebook/archive.ts';
import { caseImpact } from './casebook/caseImpact.ts';
import { cases, createNewCase, deleteCase, oneCase, referToIncident } from './casebook/cases.ts';
import { caseChanges, changeDocument } from './casebook/document.ts';
import { caseShares, downloadHandOver, handOverSchemaFile, makeShare, stopShare } from './casebook/handOver.ts';
import { impact } from './casebook/impact.ts';
import { casePins, downloadPin, pinNow, pinToCase } from './casebook/pins.ts';
import { similar } from './casebook/similar.ts';
import { caseHistory, caseSteps, caseVersion, noteStep, returnToVersion } from './casebook/trail.ts';
import { downloadProfile } from './code/download.ts';
import { codeFindings, setAside } from './code/findings.ts';
import { codeFixes, keepCodeTrial, runCodeFixes } from './code/fixes.ts';
import { ownCode, setOwnCode } from './code/ownCode.ts';
import { askForLook, connectedProbes, probeCommands } from './code/probes.ts';
import { codeProfile } from './code/profile.ts';
import { runningRequest } from './code/request.ts';
import { codeRunning } from './code/running.ts';
import { contrast } from './contrast/contrast.ts';
import { contrastMoved } from './contrast/moved.ts';
import { contrastWhere } from './contrast/where.ts';
import { databaseIndexes } from './databases/indexes.ts';
import { databaseList } from './databases/list.ts';
import { databaseServer } from './databases/server.ts';
import { databaseSessions } from './databases/sessions.ts';
import { databaseStatement } from './databases/statement.ts';
import { statementTimes } from './databases/statementTimes.ts';
import type { Asked, Endpoint } from './endpoint.ts';
import { exportLines } from './export/stream.ts';
import { failures, occurrences } from './failures/failures.ts';
import { environments } from './fields/environments.ts';
import { fields } from './fields/list.ts';
import { health } from './health/health.ts';
import { METRICS, metrics } from './health/metrics.ts';
import { live, ready } from './health/ready.ts';
import { changeIncident, incidents } from './incidents/incidents.ts';
import { readFilling, tellFilling } from './intake/filling.ts';
import { masking, previewMasking, setMasking } from './intake/masking.ts';
import { reindex } from './intake/reindex.ts';
import { senders } from './intake/senders.ts';
import { state } from './intake/state.ts';
import { readJourneys, writeJourneys } from './journeys/journeys.ts';
import { followLink, makeLink } from './links/links.ts';
import { decideOnShapes } from './logs/decideShapes.ts';
import { logLine } from './logs/line.ts';
import { logLines } from './logs/lines.ts';
import { changeLineMeasures, lineNumbers, listLineMeasures } from './logs/numbers.ts';
import { logOverview } from './logs/overview.ts';
import { logSeries } from './logs/series.ts';
import { logStitch } from './logs/stitch.ts';
import { logTail } from './logs/tail.ts';
import { machineHost } from './machines/host.ts';
import { machineHosts } from './machines/hosts.ts';
import { machineImages } from './machines/images.ts';
import { machineLayers } from './machines/layers.ts';
import { machineObject, machineObjects } from './machines/object.ts';
import { machinePods } from './machines/pods.ts';
import { machineReserved } from './machines/reserved.ts';
import { layout } from './map/layout.ts';
import { map } from './map/map.ts';
import { starts } from './map/starts.ts';
import { dropNote, notes, writeNote } from './notes/notes.ts';
import { around } from './now/around.ts';
import { cost } from './now/cost.ts';
import { now } from './now/now.ts';
import { reasons } from './now/reasons.ts';
import { CASE_FILE_DOWNLOAD, DOWNLOAD, EXPORT, HAND_OVER, PIN_DOWNLOAD, PROFILE_FILE, SCHEMA } from './openapiParts.ts';
import { operations } from './operations/list.ts';
import { operationSeries } from './operations/series.ts';
import { addTrialServer, removeTrialServer, trialServers } from './planbench/servers.ts';
import { planTrial, planTrials, prepareStatement, startTrial, statementToTry, stopPlanTrial } from './planbench/trial.ts';
import { poolDetail } from './pools/pool.ts';
import { poolList } from './pools/pools.ts';
import { progress } from './progress.ts';
import { series } from './requests/series.ts';
import { stored } from './requests/stored.ts';
import { ribbon } from './ribbon/ribbon.ts';
import { inbox, listRules, setRecipients, setRules, tryRule } from './rules/rules.ts';
import { serviceExample } from './services/example.ts';
import { serviceMeasures } from './services/measures.ts';
import { serviceOverview } from './services/overview.ts';
import { peerOverview } from './services/peer.ts';
import { serviceTime } from './services/time.ts';
import { serviceVersions } from './services/versions.ts';
import { beside } from './traces/beside.ts';
import { compare } from './traces/compare.ts';
import { downloadTrace } from './traces/download.ts';
import { traceFunctions } from './traces/functions.ts';
import { groups } from './traces/groups.ts';
import { like } from './traces/like.ts';
import { list } from './traces/list.ts';
import { logs } from './traces/logs.ts';
import { nearest } from './traces/nearest.ts';
import { one } from './traces/one.ts';
import { opened } from './traces/opened.ts';
import { overview } from './traces/overview.ts';
import { points } from './traces/points.ts';
import { size } from './traces/size.ts';
import { oneSpan } from './traces/span.ts';
import { stripes } from './traces/stripes.ts';
import { timeline } from './traces/timeline.ts';
import { traceMap } from './traces/touched.ts';
import { usual } from './traces/usual.ts';
import { column, find } from './traces/within.ts';
import { visitorApps } from './visitors/apps.ts';
import { visitorCheckPicture, visitorChecks } from './visitors/checks.ts';
import { visitorHours } from './visitors/hours.ts';
import { visitorPagesList } from './visitors/pages.ts';
import { visitorParties } from './visitors/parties.ts';
import { previewVisitorMasking, setVisitorSites, visitorSites } from './visitors/sites.ts';
import { putSourceMap } from './visitors/sourceMaps.ts';
import { visitorSteps } from './visitors/steps.ts';
import { setVisitorTarget, visitorTargets } from './visitors/targets.ts';
import { visitorVersions } from './visitors/versions.ts';
import { oneVisit, visitArchive } from './visitors/visit.ts';
import { visitorVisits } from './visitors/visits.ts';

/** An endpoint that answers something else than JSON of a schema. */
export interface RawEndpoint {
  readonly method: 'GET' | 'POST';
  readonly path: string;
  /** What one has to be at least to ask it. */
  readonly least: Least;
  /** Whether it is written down who asked it. */
  readonly audit?: boolean;
  /** Its operation in the description of the interface. */
  readonly description: object;
  readonly respond: (asked: Asked) => Response | Promise<Response>;
}

/** Every endpoint there is. Routes, the description of the interface, and the tests that each is documented and refuses bad input come from here. */
export const ENDPOINTS: readonly Endpoint[] = [
  health,
  progress,
  live,
  ready,
  notes,
  writeNote,
  dropNote,
  now,
  reasons,
  map,
  layout,
  starts,
  contrast,
  contrastWhere,
  contrastMoved,
  logOverview,
  logSeries,
  logLines,
  logLine,
  logTail,
  lineNumbers,
  listLineMeasures,
  changeLineMeasures,
  decideOnShapes,
  codeRunning,
  machineLayers,
  machineHosts,
  machineHost,
  machinePods,
  machineObjects,
  machineObject,
  machineReserved,
  visitorApps,
  visitorPagesList,
  visitorHours,
  visitorVisits,
  oneVisit,
  visitArchive,
  visitorSteps,
  visitorVersions,
  visitorParties,
  visitorChecks,
  visitorCheckPicture,
  putSourceMap,
  visitorSites,
  setVisitorSites,
  visitorTargets,
  setVisitorTarget,
  previewVisitorMasking,
  machineImages,
  cases,
  createNewCase,
  importCase,
  impact,
  oneCase,
  deleteCase,
  referToIncident,
  caseChanges,
  changeDocument,
  pinToCase,
  casePins,
  pinNow,
  caseSteps,
  noteStep,
  caseHistory,
  caseVersion,
  returnToVersion,
  caseImpact,
  similar,
  caseShares,
  makeShare,
  stopShare,
  runningRequest,
  askForLook,
  connectedProbes,
  probeCommands,
  codeProfile,
  codeFindings,
  setAside,
  codeFixes,
  runCodeFixes,
  keepCodeTrial,
  ownCode,
  setOwnCode,
  databaseList,
  databaseServer,
  databaseIndexes,
  databaseSessions,
  databaseStatement,
  statementTimes,
  trialServers,
  addTrialServer,
  removeTrialServer,
  statementToTry,
  prepareStatement,
  startTrial,
  planTrial,
  stopPlanTrial,
  planTrials,
  poolList,
  poolDetail,
  logStitch,
  serviceOverview,
  serviceTime,
  serviceMeasures,
  serviceVersions,
  serviceExample,
  peerOverview,
  traceMap,
  around,
  cost,
  ribbon,
  failures,
  occurrences,
  incidents,
  askAnything,
  fields,
  environments,
  followLink,
  list,
  overview,
  one,
  timeline,
  oneSpan,
  traceFunctions,
  beside,
  points,
  nearest,
  groups,
  stripes,
  usual,
  column,
  find,
  logs,
  compare,
  like,
  series,
  stored,
  size,
  operations,
  operationSeries,
  state,
  senders,
  masking,
  readFilling,
  setMasking,
  tellFilling,
  previewMasking,
  readJourneys,
  writeJourneys,
  changeIncident,
  makeLink,
  listRules,
  setRules,
  tryRule,
  inbox,
  setRecipients,
  reindex,
  opened,
  ...ACCOUNT_ENDPOINTS,
] as unknown as readonly Endpoint[];

export const RAW_ENDPOINTS: readonly RawEndpoint[] = [
  {
    method: 'GET',
    path: '/api/traces/{traceId}/otlp',
    least: 'reader',
    audit: true,
    description: DOWNLOAD,
    respond: downloadTrace,
  },
  {
    method: 'GET',
    path: '/api/code/profile/download',
    least: 'reader',
    audit: true,
    description: PROFILE_FILE,
    respond: downloadProfile,
  },
  {
    method: 'GET',
    path: '/api/casebook/{id}/hand-over',
    least: 'reader',
    audit: true,
    description: HAND_OVER,
    respond: downloadHandOver,
  },
  {
    method: 'GET',
    path: '/api/casebook/{id}/file',
    least: 'reader',
    audit: true,
    description: CASE_FILE_DOWNLOAD,
    respond: exportCase,
  },
  {
    method: 'GET',
    path: '/api/casebook/{id}/pins/{pin}/raw',
    least: 'reader',
    audit: true,
    description: PIN_DOWNLOAD,
    respond: downloadPin,
  },
  { method: 'GET', path: '/api/casebook/schema/case', least: 'reader', description: SCHEMA, respond: caseFileSchemaFile },
  { method: 'GET', path: '/api/casebook/schema/hand-over', least: 'reader', description: SCHEMA, respond: handOverSchemaFile },
  { method: 'GET', path: '/api/metrics', least: 'reader', description: METRICS, respond: metrics },
  { method: 'GET', path: '/api/export/{signal}', least: 'reader', audit: true, description: EXPORT, respond: exportLines },
  ...ACCOUNT_RAW_ENDPOINTS,
];
