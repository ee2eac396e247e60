import { type HeadScan, LONGEST_TEXT } from '../span/spanHead.ts';
import { checkSubmessage } from '../wire/check.ts';
import { KEY_VALUE } from '../wire/messages.ts';
import { readerOf } from '../wire/wire.ts';
import { keyOf } from './attributes.ts';
import { LONGEST_SEEN, longAttribute, type SeenAttribute, seenAttribute } from './seenAttributes.ts';

/** Takes down the attributes of spans, those of one behind those of the other; of very long ones the key alone. */
export class AttributeList {
  readonly attributes: SeenAttribute[] = [];

  take(bytes: Buffer, lengthAt: number, start: number, end: number, head: HeadScan): void {
    if (end - start > LONGEST_SEEN) {
      const reader = readerOf(bytes);
      reader.pos = lengthAt;
      checkSubmessage(reader, KEY_VALUE, 0);
      reader.pos = lengthAt;
      this.attributes.push(longAttribute(keyOf(reader)));
      head.lookAt(start, end);
      return;
    }
    const it = seenAttribute(bytes, lengthAt, start, end);
    this.attributes.push(it);
    head.lookOnceAt(it, start, end);
    const { key, value } = it;
    if (
      end - start <= LONGEST_TEXT &&
      head.wanted.mayHave(key.length, key.charCodeAt(0)) &&
      head.wanted.has(key) &&
      (typeof value === 'string' || typeof value === 'number')
    )
      head.note(key, value);
  }
}
