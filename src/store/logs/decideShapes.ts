import type pg from 'pg';
import { apartTemplate, jointTemplate, MOST_APART } from '../../core/logs/shapeCounts.ts';
import { shapeId, type Template } from '../../core/logs/template.ts';
import { inTransaction } from '../database/connection.ts';
import { type StoredShape, storedShapes } from './shapes.ts';

/** What somebody decides about message shapes; it holds for all lines that are stored, and for those that come. */
export type ShapeDecision =
  /** The first gives its name where their words do not stand in the same places. */
  | { readonly decide: 'together'; readonly shapes: readonly string[] }
  /** Lines with one of these values in a hole are shapes of their own. */
  | { readonly decide: 'apart'; readonly shape: string; readonly hole: number; readonly values: readonly string[] }
  /** What was decided about lines that are counted as this one is taken back. */
  | { readonly decide: 'as found'; readonly shape: string };

/** Shapes that are told apart in all, at most: each costs a look at the lines of the one that it is told apart of. */
const MOST_APART_IN_ALL = 400;

/** Why a decision can't be taken, in a sentence. */
export class ShapeRefused extends Error {}

/** @returns the shapes that the lines are counted as now @throws ShapeRefused */
export async function decideShapes(decision: ShapeDecision): Promise<string[]> {
  return inTransaction(async (client) => {
    await client.query(`SELECT pg_advisory_xact_lock(hashtext('log shapes'))`);
    const { shapes, counts } = await storedShapes();
    const known = (id: string): StoredShape => {
      const shape = shapes.get(counts.countedAs(id));
      if (!shape) throw new ShapeRefused(`No message shape ${id} is known.`);
      return shape;
    };
    const { rows } = await client.query<{ version: number }>(
      'SELECT coalesce(max(version), 0)::float8 + 1 AS version FROM log_shape',
    );
    const change = new Change(client, rows[0].version);
    if (decision.decide === 'together') {
      const all = [...new Map(decision.shapes.map((id) => [known(id).id, known(id)])).values()];
      if (all.length < 2) throw new ShapeRefused('They are counted as one already.');
      const joint = jointTemplate(all.map(({ template }) => template));
      const id = joint ? shapeId(joint) : all[0].id;
      const target = counts.countedAs(id);
      if (joint && !shapes.has(id)) await change.put(id, joint, firstOf(all), null);
      await change.join(
        all.flatMap(({ id }) => (id === target ? [] : id)),
        target,
      );
      return [target];
    }
    if (decision.decide === 'apart') {
      const of = known(decision.shape);
      const some = [...new Set(decision.values)].map((value) => apartTemplate(of.template, decision.hole, value));
      if (some.some(({ template }) => !isOneWord(of.template, template)))
        throw new ShapeRefused('What varies there is only a part of a word that varies in another place too.');
      const there = [...shapes.values()].filter(({ apartOf }) => apartOf !== null);
      if (there.filter(({ apartOf }) => counts.countedAs(apartOf!) === of.id).length + some.length > MOST_APART)
        throw new ShapeRefused(`At most ${MOST_APART} shapes can be told apart of one.`);
      if (there.length + some.length > MOST_APART_IN_ALL)
        throw new ShapeRefused(`At most ${MOST_APART_IN_ALL} shapes can be told apart in all.`);
      for (const { id, template } of some) await change.put(id, template, of.firstNs, of.id);
      return [...some.map(({ id }) => id), of.id];
    }
    const shape = known(decision.shape);
    const joined = counts.joinedAs(shape.id);
    const isApart = shape.apartOf !== null;
    // All that were told apart of the same: the others alone would say nothing.
    const siblings = [...shapes.values()]
      .filter(({ apartOf }) => apartOf !== null && apartOf === shape.apartOf)
      .map(({ id }) => id);
    const apart = isApart ? siblings : counts.apartOf(shape.id);
    if (joined.length + apart.length === 0) throw new ShapeRefused('Nothing was decided about it by hand.');
    await change.undo(joined, apart);
    return isApart ? [shape.apartOf!] : [shape.id, ...joined];
  });
}

/** Writes decisions with a version that all processes read anew. */
class Change {
  readonly #client: pg.PoolClient;
  readonly #version: number;

  constructor(client: pg.PoolClient, version: number) {
    this.#client = client;
    this.#version = version;
  }

  async put(id: string, template: Template, firstNs: bigint, apartOf: string | null): Promise<void> {
    await this.#client.query(
      `INSERT INTO log_shape (id, template, counted_as, coarse, first_ns, apart_of, version) VALUES ($1, $2, $1, false, $3, $4, $5)
        ON CONFLICT (id) DO UPDATE SET apart_of = excluded.apart_of, joined_to = NULL, counted_as = excluded.counted_as,
          version = excluded.version`,
      [id, JSON.stringify(template), String(firstNs), apartOf, this.#version],
    );
  }

  async join(ids: readonly string[], target: string): Promise<void> {
    await this.#client.query('UPDATE log_shape SET joined_to = $2, version = $3 WHERE id = ANY($1::text[])', [
      ids,
      target,
      this.#version,
    ]);
  }

  async undo(joined: readonly string[], apart: readonly string[]): Promise<void> {
    await this.#client.query(
      `UPDATE log_shape SET joined_to = CASE WHEN id = ANY($1::text[]) THEN NULL ELSE joined_to END,
          counted_as = CASE WHEN id = ANY($2::text[]) THEN apart_of ELSE counted_as END,
          apart_of = CASE WHEN id = ANY($2::text[]) THEN NULL ELSE apart_of END, version = $3
        WHERE id = ANY($1::text[] || $2::text[])`,
      [joined, apart, this.#version],
    );
  }
}

function firstOf(shapes: readonly StoredShape[]): bigint {
  return shapes.reduce((first, { firstNs }) => (firstNs < first ? firstNs : first), shapes[0].firstNs);
}

/** Whether the words that differ have nothing left that varies. */
function isOneWord(of: Template, narrow: Template): boolean {
  const differ = narrow.filter((part, at) => part !== of[at]);
  return differ.length === 1 && !differ[0].includes('\u0001');
}
