import type { SessionRows } from './sessionColumns.ts';

/** A stretch in which one session held its transaction open without running anything, epoch milliseconds. */
export interface HeldOpen {
  readonly session: string;
  readonly program: string;
  readonly user: string;
  readonly statementId: string;
  readonly from: number;
  to: number;
  /** Since when its transaction was open, when that is known. */
  readonly transactionFrom: number | null;
}

/** Two sights further apart than this are of two stretches. */
const GAP_MS = 5_000;
const MOST = 2_000;

/** Joins sights of sessions that hold a transaction open, in order of time, to stretches. */
export class HeldOpenStretches {
  readonly all: HeldOpen[] = [];
  readonly #open = new Map<string, HeldOpen>();

  /** @param row one of a session that holds its transaction open @param at epoch milliseconds */
  see(rows: SessionRows, row: number, at: number): void {
    const number = rows.sessions.texts[rows.sessions.values[row] - 1];
    const known = this.#open.get(number);
    if (known && at - known.to <= GAP_MS) {
      known.to = at;
      return;
    }
    const it = rows.session(row);
    this.#begin({
      session: number,
      program: it.program,
      user: it.user,
      statementId: it.statementId,
      from: at,
      to: at,
      transactionFrom: it.transactionMs === null ? null : at - it.transactionMs,
    });
  }

  /** Takes over a stretch that was joined before; it may go on with one that is known. */
  join(it: HeldOpen): void {
    const known = this.#open.get(it.session);
    if (known && it.from - known.to <= GAP_MS) known.to = Math.max(known.to, it.to);
    else this.#begin({ ...it });
  }

  #begin(it: HeldOpen): void {
    this.#open.set(it.session, it);
    if (this.all.length < MOST) this.all.push(it);
  }
}
