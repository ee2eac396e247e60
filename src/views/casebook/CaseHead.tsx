import { Menu } from '@mantine/core';
import type { OneCase } from '../../api/casebook/cases.ts';
import { CASE_STATES } from '../../core/casebook/caseContent.ts';
import { caseText, setCase } from '../../core/casebook/doc/caseDoc.ts';
import { clockRange, clockTime, dayTime } from '../../core/time/clock.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import styles from '../../ui/casebook/Casebook.module.css';
import type { LiveCase } from '../../ui/casebook/caseSync.ts';
import { openCase } from '../../ui/casebook/openCase.ts';
import { PersonName } from '../../ui/casebook/PersonName.tsx';
import { SharedText } from '../../ui/casebook/SharedText.tsx';
import { SyncNote } from '../../ui/casebook/SyncNote.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useDeleteCase } from '../../ui/queries/casebook.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { TypedPopover } from '../../ui/typing/TypedPopover.tsx';
import page from './Case.module.css';

/** The title and what belongs to it: number, who keeps it, how it stands, whether all is stored. */
export function CaseHead({ live, first, now }: { live: LiveCase; first: OneCase; now: number }) {
  const { content, doc } = live;
  const { scope, href } = useScope();
  const zone = useZone();
  const remove = useDeleteCase();
  const others = [...new Set(content.entries.map(({ by }) => by))].filter((by) => by !== '' && by !== content.keptBy);
  const { since, until } = content;
  const lit =
    since === null
      ? undefined
      : { type: 'fixed' as const, from: since - 5 * 60_000, to: (until ?? Math.max(now, since + 60_000)) + 60_000 };
  const takeAway = async () => {
    await remove.mutateAsync({ id: first.id, deleted: true }).catch(() => {});
    openCase(undefined);
    location.assign(href('/casebook'));
  };
  return (
    <header>
      <h1 className={page.title}>
        <SharedText text={caseText(doc, 'title')} value={content.title} label="title" hint="What happened, in a line" isPlain />
      </h1>
      <div className={page.meta}>
        <span>Case {first.id}</span>
        <span>
          {content.keptBy === '' ? 'kept by nobody yet' : `kept by ${content.keptBy}`}
          {others.length > 0 && `, with ${others.join(', ')}`}{' '}
          <OnlyFor least="responder">
            <TypedPopover
              button="change"
              buttonClass={styles.quiet}
              label="Who keeps this case"
              placeholder="Ines Halloran"
              take={(typed) => {
                setCase(doc, { keptBy: typed.slice(0, 100) });
                return undefined;
              }}
              below={() => null}
            />
          </OnlyFor>
        </span>
        <span suppressHydrationWarning>
          {content.entries.length > 1
            ? clockRange(content.entries[0].at, content.entries.at(-1)!.at, zone, now)
            : `begun ${dayTime(first.created, zone, now)}`}
        </span>
        {until !== null && (
          <span className={page.calm}>
            <StateGlyph state="calm" word="" /> calm since {clockTime(until, zone)}
          </span>
        )}
        <ChangedBy least="responder">
          <Menu position="bottom-start" withinPortal={false}>
            <Menu.Target>
              <button type="button" className={styles.quiet}>
                {content.state}
              </button>
            </Menu.Target>
            <Menu.Dropdown>
              {CASE_STATES.map((state) => (
                <Menu.Item
                  key={state}
                  onClick={() => {
                    setCase(doc, { state });
                    if (state === 'closed') openCase(undefined);
                  }}
                >
                  {state}
                </Menu.Item>
              ))}
            </Menu.Dropdown>
          </Menu>
        </ChangedBy>
        {lit && (
          <a href={href('/now', { ...scope, lit })} suppressHydrationWarning>
            light its time
          </a>
        )}
        {content.incidents.length > 0 && (
          <a href={`${href('/now/incidents')}`} suppressHydrationWarning>
            {content.incidents.length === 1 ? `incident ${content.incidents[0]}` : `incidents ${content.incidents.join(', ')}`}
          </a>
        )}
        <Menu position="bottom-end" withinPortal={false}>
          <Menu.Target>
            <button type="button" className={styles.quiet}>
              more<span className="unseen">: save or delete the case</span>
            </button>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Item component="a" href={`/api/casebook/${first.id}/file`} download>
              save as a file
            </Menu.Item>
            <OnlyFor least="responder">
              <Menu.Item onClick={() => void takeAway()}>delete; it can be taken back for a day</Menu.Item>
            </OnlyFor>
          </Menu.Dropdown>
        </Menu>
        <PersonName />
        <span className={page.sync}>
          <SyncNote live={live} />
        </span>
      </div>
      {remove.error && <p role="alert">{remove.error.message}</p>}
    </header>
  );
}
