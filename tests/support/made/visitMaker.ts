import type { VisitEvent, VisitKind } from '../../../src/core/visits/visitEvent.ts';

/** Where made visits begin, epoch milliseconds. */
export const VISIT_START = Date.parse('2026-05-02T14:00:00Z');

/** Makes events of one visit, in the order in which they are asked for. */
export class VisitMaker {
  readonly events: VisitEvent[] = [];
  #page = '';
  #view = 0;

  /** @param afterMs the beginning of the visit */
  add(
    kind: VisitKind,
    afterMs: number,
    name: string,
    durationMs: number | null = null,
    detail: VisitEvent['detail'] = {},
    traceId = '',
  ): this {
    if (kind === 'page') {
      this.#page = name;
      this.#view++;
    }
    this.events.push({
      atMs: VISIT_START + afterMs,
      kind,
      page: this.#page,
      name,
      durationMs,
      traceId,
      order: this.events.length,
      detail: { view: `${this.#view}`, ...detail },
      about: {},
    });
    return this;
  }

  about(facts: VisitEvent['about']): this {
    const [first, ...rest] = this.events;
    this.events.splice(0, this.events.length, { ...first, about: { ...first.about, ...facts } }, ...rest);
    return this;
  }
}
