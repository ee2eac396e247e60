import { randomFrom } from './random.ts';

/** A line of a made-up shop: what it says, by whom, when. */
export interface OrderLine {
  readonly service: string;
  readonly instance: string;
  readonly text: string;
  /** Milliseconds since the beginning. */
  readonly at: number;
  readonly attributes: Readonly<Record<string, string>>;
}

/** Lines of orders, and which of them went wrong. */
export interface OrderLog {
  readonly lines: readonly OrderLine[];
  readonly late: ReadonlySet<string>;
  readonly never: ReadonlySet<string>;
}

const MINUTE = 60_000;

/**
 * Orders that are taken, paid, packed and sent by three services; beside them lines that have nothing to do with any. Of those that packer-2
 * packs after the middle, some are sent half an hour late and some never; each has a line that no other has.
 */
export function orderLines(seed: number, orders: number, minutes: number): OrderLog {
  const { below, oneOf } = randomFrom(seed);
  const lines: OrderLine[] = [];
  const late = new Set<string>();
  const never = new Set<string>();
  const spread = (ms: number) => ms * (0.6 + below(1_000) / 1_200);
  for (let number = 0; number < orders; number++) {
    const order = `ord-${below(90_000) + 10_000}x${number}`;
    let at = below(minutes * MINUTE);
    const packer = `packer-${1 + below(3)}`;
    const isIll =
      packer === 'packer-2' && at > (minutes * MINUTE) / 2 && at < (minutes * MINUTE) / 2 + 20 * MINUTE && below(3) > 0;
    const isNever = isIll && below(4) === 0;
    const say = (service: string, instance: string, text: string, after: number, attributes: Record<string, string> = {}) => {
      at += after;
      lines.push({ service, instance, text, at, attributes: { colour: oneOf(['red', 'green']), ...attributes } });
    };
    say('till', `till-${1 + below(2)}`, `basket of ${order} closed with ${below(9)} things`, 0, { 'order.id': order });
    say('till', `till-${1 + below(2)}`, `${below(900)} coins taken for ${order}`, spread(4_000), { 'order.id': order });
    say('yard', packer, `parcel ${order} packed in ${below(90)} s`, spread(20_000));
    if (isIll) say('yard', packer, `label printer jammed, parcel ${order} put aside`, spread(300));
    if (isNever) {
      never.add(order);
      continue;
    }
    if (isIll) late.add(order);
    say(
      'cart',
      `cart-${1 + below(2)}`,
      `parcel ${order} on its way with carrier ${oneOf(['north', 'south'])}`,
      isIll ? spread(30 * MINUTE) : spread(3_000),
    );
  }
  for (let number = 0; number < 2 * orders; number++)
    lines.push({
      service: oneOf(['till', 'yard', 'cart']),
      instance: 'x-1',
      text: `looked after ${below(900)} things in ${below(90)} ms`,
      at: below(minutes * MINUTE),
      attributes: {},
    });
  lines.sort((a, b) => a.at - b.at);
  return { lines, late, never };
}
