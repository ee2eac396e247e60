/** Turns totals into what came since the last reading; one that fell began anew. */
export class Increments {
  readonly #before = new Map<string, number>();

  since(name: string, total: number): number | undefined {
    const former = this.#before.get(name);
    this.#before.set(name, total);
    if (former === undefined) return undefined;
    return total >= former ? total - former : total;
  }
}
