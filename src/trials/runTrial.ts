import { shuffle } from 'd3-array';
import { formatCount } from '../core/measures/amount.ts';
import type { LeftOut, Trial, TrialRequest } from '../core/planbench/trial.ts';
import { median, verdicts } from '../core/planbench/verdict.ts';
import { formatDuration } from '../core/time/duration.ts';
import { loadParser } from '../formats/database/fingerprint.ts';
import { writeStatement } from '../formats/database/statementTree.ts';
import { Bench } from './bench.ts';
import { chooseAttempts } from './choose.ts';
import { compareRows, TOO_LONG } from './compareRows.ts';
import { type Course, courseOf } from './course.ts';
import { findAttempts } from './findAttempts.ts';
import { farBehind, isDecided, LONG_MS, plainlySlower } from './longRuns.ts';
import { readCatalogue } from './readCatalogue.ts';
import { checkSafety, singleStatement, viewTrees } from './safety.ts';
import { addressOf, type TrialServer } from './servers.ts';
import { OverLimit, TrialSession } from './session.ts';

/** The longest that a run may take, milliseconds: of another way, whatever is asked for, and of the statement itself. */
export interface Limits {
  readonly other: number;
  readonly own: number;
}

/** What nobody could wait for is what is brought here. */
const LIMITS: Readonly<Record<TrialServer['use'], Limits>> = {
  copy: { other: 60_000, own: 5 * 60_000 },
  live: { other: 10_000, own: 10_000 },
  none: { other: 0, own: 0 },
};
/** No limit is shorter: noise alone may take that long. */
const SHORTEST_MS = 250;
/** A trial makes no more runs and compares no more rows after so long; what it has is judged. */
const LONGEST_TRIAL_MS = 30 * 60_000;
/** Ways that are named with the reason why they were left out. */
const MOST_LEFT_OUT = 1_000;
/** Runs after which one that was always slower than the original is given up. */
const ENOUGH_RUNS = 3;

export interface Control {
  readonly isStopped: () => boolean;
  /** Is given the connection, so that what runs on it can be cancelled. */
  readonly onSession: (session: TrialSession) => void;
  readonly tell: (change: Partial<Trial>) => void;
}

/** Tries a statement: finds other ways to run it, runs them by turns, compares their rows. Tells what it knows as it goes. */
export async function runTrial(
  request: TrialRequest,
  server: TrialServer,
  { isStopped, onSession, tell }: Control,
  limits = LIMITS[server.use],
): Promise<void> {
  await loadParser();
  const begun = Date.now();
  const tree = singleStatement(request.text);
  const session = await TrialSession.open(server);
  onSession(session);
  let bench: Bench | undefined;
  try {
    const views = await viewTrees(session, tree);
    const catalogue = await readCatalogue(session, [tree, ...views]);
    const safety = await checkSafety(session, tree, views, catalogue, server);
    if (safety.refusals.length > 0) throw new Error(`It is not tried. ${safety.refusals.join(' ')}`);
    const text = writeStatement(tree);
    const [values = []] = request.valueSets;
    tell({ words: 'looking for ways whose plans differ' });
    const found = await findAttempts(tree, text, catalogue, {
      session,
      values,
      kinds: request.kinds,
      writes: safety.writes,
      isStopped,
    });
    const { chosen, leftOut } = chooseAttempts(found.attempts, request.most);
    const out: LeftOut[] = [...found.leftOut, ...leftOut].slice(0, MOST_LEFT_OUT);
    const how = {
      address: addressOf(server),
      isCopy: server.use === 'copy',
      runs: request.runs,
      limitMs: null as number | null,
      warnings: safety.warnings,
      looked: found.looked,
    };
    const courses: Course[] = [found.original, ...chosen].map((attempt, at) => courseOf(attempt, at));
    const [original, ...others] = courses;
    const steps = courses.length * (request.runs + 2);
    let done = 0;
    let spentMs = 0;
    const show = (change: Partial<Trial> = {}) => {
      const left = done === 0 ? null : (spentMs / done) * Math.max(0, steps - done);
      tell({
        original: original.tried,
        alternatives: others.filter((it) => !it.isOut).map((it) => it.tried),
        leftOut: out,
        how,
        progress: { done, of: steps, secondsLeft: left === null ? null : Math.ceil(left / 1000) },
        ...change,
      });
    };
    const step = (it: Course) => {
      it.steps++;
      done++;
    };
    const leave = (it: Course, because: LeftOut['because'], detail: string) => {
      it.isOut = true;
      done += request.runs + 2 - it.steps;
      out.push({ because, words: it.attempt.words, detail });
    };

    const own = new Bench(session, safety.writes);
    bench = own;
    const definitions = server.use === 'copy' ? [...new Set(chosen.flatMap((it) => it.indexes))] : [];
    if (definitions.length > 0) {
      show({ phase: 'building', words: `building ${definitions.length} ${definitions.length === 1 ? 'index' : 'indexes'}` });
      const failed = await own.build(definitions, isStopped);
      for (const it of others) {
        const reason = it.attempt.indexes.flatMap((definition) => failed.get(definition) ?? [])[0];
        if (reason) leave(it, 'cannot be run', reason);
      }
    }
    for (const it of others) {
      if (server.use !== 'copy' && it.attempt.indexes.length > 0)
        leave(
          it,
          'cannot be run',
          `guessed cost ${cost(found.original.cost)} → ${cost(it.attempt.cost)}; not built on a server that others use`,
        );
      const built = own.builtFor(it.attempt);
      if (built.length > 0)
        it.tried = {
          ...it.tried,
          index: {
            bytes: sum(built.map(({ bytes }) => bytes)),
            buildMs: sum(built.map(({ buildMs }) => buildMs)),
            writeUs: null,
          },
        };
    }

    show({ phase: 'trying', words: 'a first run of each' });
    const longest = limits.other;
    const longestOf = (it: Course) => (it === original ? limits.own : limits.other);
    // What runs of a statement that does not end took at least, the first apart; undefined of one that ends.
    let atLeast: number[] | undefined;
    const limit = (): number => {
      const base = original.tried.runs.length > 0 ? median(original.tried.runs) : (original.tried.first?.ms ?? longest / 3);
      const best = Math.min(
        base,
        ...others.filter((it) => !it.isOut && it.tried.runs.length > 0).map((it) => median(it.tried.runs)),
      );
      const wanted = typeof request.limit === 'number' ? request.limit : request.limit === 'best' ? best * 1.2 : base * 3;
      return Math.min(longest, Math.max(SHORTEST_MS, wanted));
    };
    const once = async (it: Course, isFirst: boolean) => {
      const began = performance.now();
      const isOriginal = it === original;
      const longestNow = isOriginal
        ? atLeast
          ? plainlySlower(others, longest)
          : longestOf(it)
        : isFirst
          ? Math.min(longest, Math.max(limit(), 3 * (original.tried.first?.ms ?? 0)))
          : limit();
      how.limitMs = isOriginal ? how.limitMs : limit();
      try {
        const seen = await own.run(it.attempt, values, longestNow);
        const ms = seen.executionMs ?? 0;
        const blocks = seen.blocks;
        if (isOriginal && atLeast) atLeast.push(ms);
        else
          it.tried = {
            ...it.tried,
            ...(isFirst
              ? { first: { ms, isCold: blocks !== null && blocks.read > blocks.hit } }
              : { runs: [...it.tried.runs, ms] }),
            blocks,
            planningMs: seen.planningMs,
            workMs: seen.readMs === null ? null : Math.max(0, ms - seen.readMs),
          };
        step(it);
      } catch (error) {
        if (isStopped()) throw error;
        if (isOriginal && !(error instanceof OverLimit)) throw error;
        if (isOriginal) {
          if (atLeast) atLeast.push(longestNow);
          else {
            atLeast = [];
            it.tried = { ...it.tried, first: { ms: longestNow, isCold: false }, runs: [longestNow] };
            how.warnings = [
              ...how.warnings,
              `The statement itself was stopped after ${formatDuration(longestNow * 1e6)}: it takes longer than that.`,
            ];
          }
          step(it);
        } else if (error instanceof OverLimit) leave(it, 'slower', error.message);
        else leave(it, 'cannot be run', (error as Error).message);
      }
      spentMs += performance.now() - began;
      show();
    };
    const isLate = () => Date.now() - begun > LONGEST_TRIAL_MS;
    for (const it of courses) {
      if (it.isOut || isStopped()) continue;
      if (isLate()) leave(it, 'not among the first', TOO_LONG);
      else await once(it, true);
    }
    if (atLeast && others.every((it) => it.isOut))
      throw new Error(
        `The statement itself takes longer than ${formatDuration(limits.own * 1e6)} here, and so does every other way. Try it with values for which it ends, or on a smaller copy.`,
      );
    // Ways with other rows are not run on.
    if (!isStopped()) {
      show({ phase: 'comparing', words: 'comparing the rows' });
      await compareRows(own, {
        courses,
        original,
        // The same text gives the same rows, whatever the settings and the indexes are.
        reference: atLeast ? others.find((it) => !it.isOut && it.attempt.text === original.attempt.text) : original,
        request,
        safety,
        isStopped,
        isLate,
        leave,
        longestOf,
        tell,
        onDone: (it) => {
          step(it);
          show();
        },
      });
    }
    const ownRuns = () => [...original.tried.runs, ...(atLeast ?? [])];
    const isLong = (original.tried.first?.ms ?? 0) >= LONG_MS;
    if (isLong)
      for (const it of farBehind(original, others))
        leave(it, 'slower', `${formatDuration(it.tried.first!.ms * 1e6)}, far behind the best`);
    for (let round = 0; round < request.runs && !isStopped() && !isLate(); round++) {
      show({ phase: 'trying', words: `run ${round + 1} of ${request.runs}, in another order each time` });
      for (const it of shuffle([...courses])) {
        if (it.isOut || isStopped() || isLate()) continue;
        await once(it, false);
        const { runs } = it.tried;
        if (it !== original && runs.length >= ENOUGH_RUNS && Math.min(...runs) > Math.max(...original.tried.runs) * 1.1)
          leave(it, 'slower', `${Math.round(median(runs))} ms against ${Math.round(median(original.tried.runs))} ms`);
      }
      if (isLong && isDecided(ownRuns(), others)) break;
    }
    const run = others.filter((it) => !it.isOut);
    const judged = verdicts(
      ownRuns(),
      run.map((it) => it.tried.runs),
    );
    for (const [at, it] of run.entries()) {
      const isProved = it.tried.rows?.are === 'equal';
      const verdict = judged[at];
      // Faster with rows that are not known to be the same is not better.
      it.tried = {
        ...it.tried,
        verdict: verdict.is === 'better' && !isProved ? { is: 'unsure', chance: verdict.chance } : verdict,
      };
    }
    for (const it of run)
      if (!isStopped() && it.tried.verdict?.is === 'better' && it.tried.index)
        it.tried = { ...it.tried, index: { ...it.tried.index, writeUs: await own.writeCost(it.attempt) } };
    others.sort((a, b) => median(a.tried.runs) - median(b.tried.runs));
    done = steps;
    show({ phase: isStopped() ? 'stopped' : 'done', words: isStopped() ? 'stopped; everything was rolled back' : '' });
  } finally {
    await bench?.close();
    await session.close();
  }
}

const sum = (values: readonly number[]) => values.reduce((all, it) => all + it, 0);
const cost = (value: number) => formatCount(Math.round(value));
