import { Menu } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { CodeProfile } from '../../api/code/profile.ts';
import { clockTime } from '../../core/time/clock.ts';
import { askProbe, useProbes } from '../../ui/queries/code.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { mayIn, useWho } from '../../ui/state/who.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Code.module.css';

const SECONDS = 10;
/** What is sent after the time is over is stored within about so long. */
const STORED_AFTER_MS = 4_000;
/** Processes of the service that are asked. */
const MOST_ASKED = 20;
/** How far back is lit to see what was taken. */
const LIT_MS = 900_000;

const TAKES = [
  ['cpu', 'CPU, 10 seconds'],
  ['heap', 'held memory, at once'],
  ['allocation', 'allocated memory, 10 seconds'],
] as const;

interface Taken {
  readonly of: string;
  readonly words: string;
  readonly isOver: boolean;
}

/** Has the probes of a service take a profile at this moment. Not there where no probe of it answers. */
export function TakeProfile({ profile, instance }: { profile: CodeProfile; instance: string }) {
  const { scope, change } = useScope();
  const zone = useZone();
  const client = useQueryClient();
  const { data: probes } = useProbes();
  const [taken, setTaken] = useState<Taken>();
  const [overAt, setOverAt] = useState<number>();
  const who = useWho();
  const asked = (probes?.processes ?? []).filter(
    (it) =>
      !it.gone &&
      mayIn(who, 'responder', it.environment) &&
      it.service === profile.service &&
      (instance === '' || it.instance === instance),
  );
  useEffect(() => {
    if (overAt === undefined) return;
    const timer = setTimeout(() => {
      setTaken((it) => it && { ...it, words: `taken at ${clockTime(Date.now(), zone, true)}`, isOver: true });
      void client.invalidateQueries({ queryKey: ['code profile'] });
    }, overAt - Date.now());
    return () => clearTimeout(timer);
  }, [overAt, zone, client]);
  if (asked.length === 0) return null;
  const take = async (ask: string) => {
    const able = asked.filter(({ can }) => can.some((it) => it === ask)).slice(0, MOST_ASKED);
    const seconds = ask === 'heap' ? 1 : SECONDS;
    setTaken({ of: profile.service, words: 'asking …', isOver: false });
    const answers = await Promise.all(
      able.map((it) =>
        askProbe({ service: it.service, instance: it.instance, ask, seconds })
          .then(({ is }) => is)
          .catch(() => 'lost' as const),
      ),
    );
    const count = answers.filter((is) => is === 'asked').length;
    const processes = count === 1 ? 'one process' : `${count} processes`;
    const refused = able.length > count ? `, ${able.length - count} did not take it up` : '';
    if (count === 0) setTaken({ of: profile.service, words: 'no process took it up', isOver: true });
    else {
      setTaken({ of: profile.service, words: `being taken in ${processes}${refused}`, isOver: false });
      setOverAt(Date.now() + seconds * 1_000 + STORED_AFTER_MS);
    }
  };
  const isLit = scope.lit.type === 'last';
  return (
    <>
      <Menu position="bottom-end" withinPortal={false}>
        <Menu.Target>
          <button type="button" className={styles.button}>
            take one now
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          {TAKES.filter(([ask]) => asked.some(({ can }) => can.some((it) => it === ask))).map(([ask, words]) => (
            <Menu.Item key={ask} onClick={() => void take(ask)}>
              {words}
            </Menu.Item>
          ))}
        </Menu.Dropdown>
      </Menu>
      {taken && taken.of === profile.service && (
        <output className="dim">
          {taken.words}{' '}
          {taken.isOver && !isLit && (
            <button
              type="button"
              className={styles.button}
              onClick={() => change({ ...scope, lit: { type: 'last', ms: LIT_MS } })}
            >
              light the last 15 minutes
            </button>
          )}
        </output>
      )}
    </>
  );
}
