import { Menu, Popover } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { type Ref, useState } from 'react';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { columnQuery } from '../../ui/queries/traces.ts';
import styles from './Toolbar.module.css';
import { OWN_COLUMNS } from './timeline/columns.ts';

interface ToolbarProps {
  readonly trace: TraceTimeline;
  readonly isKept: boolean;
  readonly searchRef: Ref<HTMLInputElement>;
  readonly search: (text: string) => void;
  /** How many spans fit; undefined when nothing is searched. */
  readonly found: number | undefined;
  readonly byService: boolean;
  readonly setByService: (on: boolean) => void;
  readonly columns: readonly string[];
  readonly setColumns: (keys: readonly string[]) => void;
  readonly joined: boolean;
  /** Whether an answer is under way. */
  readonly busy: boolean;
  readonly setJoined: (on: boolean) => void;
  readonly usualSide?: 'lit' | 'before';
  readonly setUsualSide?: (side: 'lit' | 'before') => void;
  readonly listed: 'spans' | 'log';
  readonly setListed: (what: 'spans' | 'log') => void;
  readonly compareWith: (path: string) => string;
  readonly savePicture: () => Promise<void>;
}

/** What can be done with a trace: search in it, gather it by service, add columns, join what messages join, hold it against another, save it. */
export function Toolbar(props: ToolbarProps) {
  const { trace, isKept, searchRef, search, found, byService, setByService, joined, busy, setJoined, listed, setListed } = props;
  return (
    <div className={styles.bar} role="toolbar" aria-label="This trace">
      <label className={styles.search}>
        <span className="unseen">Search in this trace</span>
        <input
          ref={searchRef}
          type="search"
          placeholder="search in this trace"
          disabled={!isKept}
          onChange={(event) => search(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === 'Enter' || event.key === 'Escape') {
              if (event.key === 'Escape') {
                event.currentTarget.value = '';
                search('');
              }
              event.currentTarget.blur();
            }
          }}
        />
        {found === undefined ? <kbd>s</kbd> : <span className="mono dim">{found === 0 ? 'none' : `${found}, n next`}</span>}
      </label>
      <span role="group" aria-label="Shown as" className={styles.group}>
        <button type="button" aria-pressed={listed === 'spans' && !byService} onClick={() => show('spans', false)}>
          spans
        </button>
        <button type="button" aria-pressed={listed === 'spans' && byService} onClick={() => show('spans', true)}>
          services
        </button>
        {isKept && (
          <button type="button" aria-pressed={listed === 'log'} onClick={() => show('log', byService)}>
            log
          </button>
        )}
      </span>
      {trace.hasMessages && isKept && (
        <button type="button" aria-pressed={joined} onClick={() => setJoined(!joined)}>
          {joined ? joinedWords(trace.traces.length, busy) : 'join its messages'}
        </button>
      )}
      <span className={styles.air} />
      {props.usualSide && (
        <button
          type="button"
          title="The outline behind each bar is what is usual in this window"
          onClick={() => props.setUsualSide?.(props.usualSide === 'lit' ? 'before' : 'lit')}
        >
          usual: {props.usualSide}
        </button>
      )}
      {isKept && <ColumnMenu {...props} />}
      {isKept && <CompareMenu {...props} />}
      <Menu position="bottom-end" withinPortal={false}>
        <Menu.Target>
          <button type="button">save</button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={() => void navigator.clipboard.writeText(location.href)}>copy the link</Menu.Item>
          <Menu.Item onClick={() => void props.savePicture()}>picture as PNG</Menu.Item>
          {isKept && (
            <Menu.Item component="a" href={`/api/traces/${trace.traceId}/otlp`} download>
              spans as OTLP JSON
            </Menu.Item>
          )}
        </Menu.Dropdown>
      </Menu>
    </div>
  );

  function show(what: 'spans' | 'log', services: boolean): void {
    setListed(what);
    setByService(services);
  }
}

function joinedWords(count: number, busy: boolean): string {
  if (count > 1) return `${count} traces joined`;
  return busy ? 'joining …' : 'nothing joins it';
}

const MOST_COLUMNS = 3;

function ColumnMenu({ trace, columns, setColumns }: ToolbarProps) {
  const [opened, setOpened] = useState(false);
  const [typed, setTyped] = useState('');
  const known = useQuery({ ...columnQuery(trace.traceId, undefined), enabled: opened });
  const turn = (key: string) =>
    setColumns(columns.includes(key) ? columns.filter((it) => it !== key) : [...columns, key].slice(-MOST_COLUMNS));
  const keys = known.data?.keys.filter(({ key }) => key.toLowerCase().includes(typed.toLowerCase())) ?? [];
  return (
    <Popover position="bottom-end" withinPortal={false} opened={opened} onChange={setOpened} shadow="md">
      <Popover.Target>
        <button type="button" aria-expanded={opened} onClick={() => setOpened(!opened)}>
          columns{columns.length > 0 ? ` ${columns.length}` : ''}
        </button>
      </Popover.Target>
      <Popover.Dropdown className={styles.drop} aria-label="Columns">
        {OWN_COLUMNS.map(({ key, title }) => (
          <button key={key} type="button" aria-pressed={columns.includes(key)} onClick={() => turn(key)}>
            {title}
          </button>
        ))}
        <input
          className={styles.typed}
          aria-label="Which attribute"
          placeholder="an attribute"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
        />
        <div className={styles.keys}>
          {keys.map(({ key, spans, distinct }) => (
            <button key={key} type="button" aria-pressed={columns.includes(key)} onClick={() => turn(key)}>
              <span className="mono">{key}</span>{' '}
              <span className="dim">
                {spans} spans, {distinct === 1 ? 'one value' : `${distinct} values`}
              </span>
            </button>
          ))}
        </div>
      </Popover.Dropdown>
    </Popover>
  );
}

const ID = /[0-9a-f]{32}/i;

function CompareMenu({ compareWith }: ToolbarProps) {
  const [opened, setOpened] = useState(false);
  const [typed, setTyped] = useState('');
  const id = ID.exec(typed)?.[0].toLowerCase();
  return (
    <Popover position="bottom-end" withinPortal={false} opened={opened} onChange={setOpened} shadow="md">
      <Popover.Target>
        <button type="button" aria-expanded={opened} onClick={() => setOpened(!opened)}>
          compare
        </button>
      </Popover.Target>
      <Popover.Dropdown className={styles.drop} aria-label="Compare">
        <a href={compareWith('before')}>with the typical one before</a>
        <a href={compareWith('lit')}>with the typical one lit</a>
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (id) location.href = compareWith(id);
          }}
        >
          <input
            className={styles.typed}
            aria-label="With which trace"
            placeholder="a trace id or its link, Enter"
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
          />
          {typed !== '' && !id && <p className={styles.hint}>32 hex digits are a trace id</p>}
        </form>
      </Popover.Dropdown>
    </Popover>
  );
}
