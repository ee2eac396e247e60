import { IconX } from '@tabler/icons-react';
import type { CaseEntry } from '../../core/casebook/caseContent.ts';
import { memberText, removeMember, setMember } from '../../core/casebook/doc/caseDoc.ts';
import type { Pin } from '../../core/casebook/pin.ts';
import { readTypedMoment } from '../../core/scope/typedMoment.ts';
import { clockTime, dayOf } from '../../core/time/clock.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import styles from '../../ui/casebook/Casebook.module.css';
import type { LiveCase } from '../../ui/casebook/caseSync.ts';
import { SharedText } from '../../ui/casebook/SharedText.tsx';
import { useZone } from '../../ui/state/zone.ts';
import { TypedPopover } from '../../ui/typing/TypedPopover.tsx';
import page from './Case.module.css';
import { PinFigure } from './PinFigure.tsx';

interface CaseLogProps {
  readonly live: LiveCase;
  readonly pins: ReadonlyMap<string, Pin>;
  readonly figures: ReadonlyMap<string, number>;
  readonly now: number;
}

/** The log: time and page in the margin, what was seen, and the figures that show it. */
export function CaseLog({ live, pins, figures, now }: CaseLogProps) {
  const { entries } = live.content;
  if (entries.length === 0)
    return (
      <p className={page.empty}>
        The log is empty.{' '}
        <OnlyFor least="responder">
          Press <kbd className={styles.key}>p</kbd> on any page to pin what it shows, or write an entry.
        </OnlyFor>
      </p>
    );
  return (
    <ol className={page.log}>
      {entries.map((entry) => (
        <Entry key={entry.id} live={live} entry={entry} pins={pins} figures={figures} now={now} />
      ))}
    </ol>
  );
}

function Entry({
  live: { doc, id },
  entry,
  pins,
  figures,
  now,
}: Omit<CaseLogProps, 'live'> & { live: LiveCase; entry: CaseEntry }) {
  const zone = useZone();
  const shown = entry.pins.flatMap((pin) => pins.get(pin) ?? []);
  return (
    <li>
      <div className={page.margin}>
        <ChangedBy least="responder">
          <TypedPopover
            button={clockTime(entry.at, zone)}
            buttonClass="mono"
            label="When this was"
            placeholder="10:27"
            take={(typed) => {
              const read = readTypedMoment(typed.toLowerCase(), zone, Date.now());
              if (!read) return 'Not understood: type a time such as 10:27';
              setMember(doc, 'entries', entry.id, { at: read.at });
              return undefined;
            }}
            below={() => null}
          />
        </ChangedBy>
        <span className={styles.dim} suppressHydrationWarning>
          {dayOf(entry.at, zone) === dayOf(now, zone) ? '' : dayOf(entry.at, zone)}
        </span>
        {entry.page !== '' &&
          (shown[0] ? <a href={shown[0].path}>{entry.page}</a> : <span className={styles.dim}>{entry.page}</span>)}
        {entry.by !== '' && <span className={styles.dim}>{entry.by}</span>}
      </div>
      <div className={page.said} data-alone={shown.length === 0}>
        <SharedText
          text={memberText(doc, 'entries', entry.id, 'text')}
          value={entry.text}
          label={`entry of ${clockTime(entry.at, zone)}`}
          hint="what was seen"
        />
        {shown
          .flatMap((pin) => figures.get(pin.id) ?? [])
          .map((number) => (
            <a key={number} className={styles.fig} href={`#figure-${number}`}>
              fig. {number}
            </a>
          ))}
        <OnlyFor least="responder">
          <button
            type="button"
            className={page.remove}
            aria-label={`Remove the entry of ${clockTime(entry.at, zone)}; u takes it back`}
            title="Remove; u takes it back"
            onClick={() => removeMember(doc, 'entries', entry.id)}
          >
            <IconX size={13} stroke={1.6} />
          </button>
        </OnlyFor>
      </div>
      {shown.length > 0 && (
        <div className={page.figures}>
          {shown.map((pin) => (
            <PinFigure key={pin.id} caseId={id} pin={pin} number={figures.get(pin.id) ?? 0} />
          ))}
        </div>
      )}
    </li>
  );
}
