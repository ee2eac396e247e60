import { randomBytes } from 'node:crypto';
import type { Trial, TrialRequest } from '../core/planbench/trial.ts';
import { loadParser, readStatement } from '../formats/database/fingerprint.ts';
import { readTrial, saveTrial } from '../store/trials/trials.ts';
import { runTrial } from './runTrial.ts';
import { addedServers, addressOf, type TrialServer } from './servers.ts';
import type { TrialSession } from './session.ts';
import { standIn, standInNames } from './standIns.ts';

/** Why nothing is begun, in words for the one who asked. */
export class TrialRefused extends Error {}

interface Running {
  trial: Trial;
  stopped: boolean;
  session?: TrialSession;
}

/** The one that is under way: two at a time would disturb each other's times. */
let running: Running | undefined;

/** A server by its name: one that was added, else the stand-in of the demo's. @throws TrialRefused when there is neither */
export async function serverNamed(name: string): Promise<TrialServer> {
  const added = addedServers().find((it) => it.name === name);
  if (added) return added;
  if (!standInNames().includes(name)) throw new TrialRefused(`There is no server "${name.slice(0, 100)}" to try on. Add one.`);
  return standIn(name);
}

/** Begins a trial. @returns its id @throws TrialRefused while another is under way */
export async function beginTrial(request: TrialRequest): Promise<string> {
  await loadParser();
  if (running) throw new TrialRefused(`A trial on ${running.trial.server} is under way. Stop it, or wait until it is done.`);
  const id = randomBytes(9).toString('base64url');
  // The counters of the server, and what is sampled there, go by the same fingerprint, whatever its values are.
  const statementId = request.statementId || (readStatement(request.text)?.id ?? '');
  const own: Running = {
    stopped: false,
    trial: {
      id,
      server: request.server,
      statementId,
      text: request.text,
      begun: Date.now(),
      ended: null,
      phase: 'planning',
      words: 'reaching the server',
      progress: { done: 0, of: 0, secondsLeft: null },
      valueSets: request.valueSets.map((values) => ({ values, rows: null })),
      original: null,
      alternatives: [],
      leftOut: [],
      how: { address: '', isCopy: false, runs: request.runs, limitMs: null, warnings: [], looked: 0 },
    },
  };
  running = own;
  try {
    await saveTrial(own.trial);
  } catch (error) {
    running = undefined;
    throw error;
  }
  void course(own, request);
  return id;
}

async function course(own: Running, request: TrialRequest): Promise<void> {
  const tell = (change: Partial<Trial>) => {
    own.trial = { ...own.trial, ...change };
  };
  try {
    const server = await serverNamed(request.server);
    tell({ how: { ...own.trial.how, address: addressOf(server), isCopy: server.use === 'copy' } });
    await runTrial(request, server, {
      isStopped: () => own.stopped,
      onSession: (session) => {
        own.session = session;
      },
      tell,
    });
  } catch (error) {
    if (own.stopped) tell({ phase: 'stopped', words: 'stopped; everything was rolled back' });
    else tell({ phase: 'failed', words: (error as Error).message });
  } finally {
    tell({ ended: Date.now() });
    await saveTrial(own.trial).catch((error: unknown) => console.error(error));
    if (running === own) running = undefined;
  }
}

/** A trial as it stands; undefined when there is none of that id. */
export async function trialOf(id: string): Promise<Trial | undefined> {
  if (running?.trial.id === id) return running.trial;
  const kept = await readTrial(id);
  if (!kept || kept.ended !== null) return kept;
  return { ...kept, phase: 'stopped', words: 'The application ended while it ran; the server rolled everything back.' };
}

/** Stops a trial that is under way; what it has found stays. */
export async function stopTrial(id: string): Promise<void> {
  if (running?.trial.id !== id) return;
  running.stopped = true;
  await running.session?.cancel();
}

/** The trial that is under way. */
export function trialUnderWay(): string | undefined {
  return running?.trial.id;
}
