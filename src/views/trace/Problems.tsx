import { Popover } from '@mantine/core';
import { useState } from 'react';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { shownName } from '../../ui/list/shownName.ts';
import styles from './Problems.module.css';

const MOST = 50;

/** What is broken in the trace and how it was read all the same; opens into the list. */
export function Problems({ trace }: { trace: TraceTimeline }) {
  const [open, setOpen] = useState(false);
  const { problems, spans, services, operations } = trace;
  if (problems.length === 0) return null;
  const nameOf = (spanId: string) => {
    const at = spans.id.indexOf(spanId);
    return at < 0 ? spanId : `${shownName(services[spans.service[at]])} ${shownName(operations[spans.operation[at]])}`;
  };
  return (
    <Popover opened={open} onChange={setOpen} position="bottom-start" shadow="md" withinPortal={false}>
      <Popover.Target>
        <button type="button" className={styles.open} aria-expanded={open} onClick={() => setOpen(!open)}>
          {problems.length === 1 ? '1 data problem corrected' : `${problems.length} data problems corrected`}
        </button>
      </Popover.Target>
      <Popover.Dropdown>
        <ul className={styles.list}>
          {problems.slice(0, MOST).map(({ spanId, type, message }) => (
            <li key={`${type} ${spanId}`}>
              <b>{nameOf(spanId)}</b> {message}
            </li>
          ))}
          {problems.length > MOST && <li className="dim">and {problems.length - MOST} more</li>}
        </ul>
      </Popover.Dropdown>
    </Popover>
  );
}
