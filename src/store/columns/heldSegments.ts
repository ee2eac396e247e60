import { noteUnpacked, type SegmentReading, type StoredSegment } from './slotSegments.ts';

/** Rows that one side of a question holds on to, about 100 bytes each as they are packed and up to 650 as they are read. */
const MOST_ROWS = 60_000;

/**
 * Columns that a question goes through several times. What the first reading found is held, so that the later ones see the same requests though
 * more come meanwhile, and spend no time on columns that it passed over. Of more rows than can be held each reading sees what is there then.
 */
export function heldSegments(source: SegmentReading, most = MOST_ROWS): SegmentReading {
  let held: StoredSegment[] | undefined = [];
  let isRead = false;
  return {
    async *read(range, work) {
      if (isRead && held) {
        for (const it of held) {
          yield it;
          noteUnpacked(it.key);
        }
        return;
      }
      let rows = 0;
      for await (const it of source.read(range, isRead ? { ...work, buildMs: 0 } : work)) {
        rows += it.segment.rows;
        if (rows > most) held = undefined;
        held?.push(it);
        yield it;
      }
      isRead = true;
    },
  };
}
