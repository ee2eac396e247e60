import { IconDownload, IconPrinter, IconX } from '@tabler/icons-react';
import { useRef, useState } from 'react';
import { caseText, memberText, removeMember } from '../../core/casebook/doc/caseDoc.ts';
import { type HandOverPart, USUAL_PARTS } from '../../core/casebook/handover/handOver.ts';
import type { Pin } from '../../core/casebook/pin.ts';
import { formatBytes } from '../../core/measures/amount.ts';
import { dayTime } from '../../core/time/clock.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import styles from '../../ui/casebook/Casebook.module.css';
import type { LiveCase } from '../../ui/casebook/caseSync.ts';
import { LineInput } from '../../ui/casebook/LineInput.tsx';
import { addAsked } from '../../ui/casebook/newMember.ts';
import { usePersonName } from '../../ui/casebook/openCase.ts';
import { SharedText } from '../../ui/casebook/SharedText.tsx';
import { useHandOver, useMakeShare, useShares, useStopShare } from '../../ui/queries/casebook.ts';
import { useZone } from '../../ui/state/zone.ts';
import page from './Case.module.css';
import { useImpactOf } from './useImpactOf.ts';

interface HandOverPanelProps {
  readonly live: LiveCase;
  readonly figures: ReadonlyMap<string, number>;
  readonly pins: ReadonlyMap<string, Pin>;
}

type Format = 'markdown' | 'html' | 'json';
const FORMS: readonly (readonly [Format, string])[] = [
  ['markdown', 'Markdown'],
  ['html', 'HTML'],
  ['json', 'JSON'],
];

/** What the other team is given: whom, what they are asked, which parts, in which form; and links for those who may only read. */
export function HandOverPanel({ live, figures, pins }: HandOverPanelProps) {
  const { content, doc } = live;
  return (
    <div className={page.aside}>
      <h2>Hand over</h2>
      <div className={page.to}>
        to{' '}
        <SharedText
          text={caseText(doc, 'team')}
          value={content.team}
          label="whom it is handed to"
          hint="which team?"
          isPlain
          className={page.team}
        />
      </div>
      <h3>asked of them</h3>
      <ol className={page.asked}>
        {content.asked.map((it) => (
          <li key={it.id}>
            <SharedText
              text={memberText(doc, 'asked', it.id, 'text')}
              value={it.text}
              label="what is asked"
              hint="what they are asked"
            />
            <OnlyFor least="responder">
              <button
                type="button"
                className={page.remove}
                aria-label={`Remove: ${it.text}`}
                onClick={() => removeMember(doc, 'asked', it.id)}
              >
                <IconX size={12} stroke={1.6} />
              </button>
            </OnlyFor>
          </li>
        ))}
      </ol>
      <LineInput label="What you ask of them" hint="What do you ask of them?" take={(text) => addAsked(live, text)} />
      <Document live={live} figures={figures} pins={pins} />
      <OnlyFor least="responder">
        <Shares id={live.id} />
      </OnlyFor>
    </div>
  );
}

function Document({ live, figures, pins }: HandOverPanelProps) {
  const { content, doc, id } = live;
  const zone = useZone();
  const [parts, setParts] = useState<readonly HandOverPart[]>(USUAL_PARTS);
  const [format, setFormat] = useState<Format>('markdown');
  const [copied, setCopied] = useState('');
  const frame = useRef<HTMLIFrameElement>(null);
  const impact = useImpactOf(live);
  const text = useHandOver(id, parts, zone, JSON.stringify([content, pins.size, impact.data?.impact]), live.standing === 'saved');
  const turn = (part: HandOverPart) => setParts(parts.includes(part) ? parts.filter((it) => it !== part) : [...parts, part]);
  const query = new URLSearchParams({ parts: parts.join(','), zone });
  const html = `/casebook/${id}/hand-over.html?${query}`;
  const raw = [...pins.values()].reduce((sum, { id: pin, rawBytes }) => sum + (figures.has(pin) ? rawBytes : 0), 0);
  const choices: readonly (readonly [HandOverPart, string, string])[] = [
    ['log', 'the log', count(content.entries.length, 'entry', 'entries')],
    ['evidence', 'evidence', count(figures.size, 'figure', 'figures')],
    ['ruledOut', 'ruled out', String(content.hypotheses.filter(({ standing }) => standing === 'ruled out').length)],
    ['steps', 'all steps', ''],
    ['raw', 'the raw answers, in JSON', raw === 0 ? '' : formatBytes(raw)],
    ['names', 'names of people', ''],
  ];
  const copy = async () => {
    await navigator.clipboard?.writeText(text.data ?? '').catch(() => {});
    setCopied('Copied.');
    setTimeout(() => setCopied(''), 2_000);
  };
  const rewrite = async () => {
    const answer = await fetch(
      `/api/casebook/${id}/hand-over?${new URLSearchParams({ format: 'words', parts: parts.join(','), zone })}`,
    );
    const words = caseText(doc, 'words');
    if (answer.ok && words && words.length === 0) words.insert(0, await answer.text());
  };
  const hasWords = content.words.trim() !== '';
  return (
    <>
      <ul className={page.parts}>
        {choices.map(([part, words, note]) => (
          <li key={part}>
            <label>
              <input type="checkbox" checked={parts.includes(part)} onChange={() => turn(part)} /> {words}
            </label>
            <span className="mono dim">{note}</span>
          </li>
        ))}
      </ul>
      <div className={page.forms} role="group" aria-label="Form of the hand-over">
        {FORMS.map(([form, words]) => (
          <button key={form} type="button" aria-pressed={format === form} onClick={() => setFormat(form)}>
            {words}
          </button>
        ))}
      </div>
      {text.error && <p role="alert">{text.error.message}</p>}
      {format === 'html' ? (
        <iframe
          ref={frame}
          className={page.preview}
          title="The hand-over as HTML"
          src={html}
          sandbox="allow-same-origin allow-modals"
        />
      ) : (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={page.preview} tabIndex={0} aria-label="The hand-over as Markdown">
          {text.data ?? '…'}
        </section>
      )}
      <div className={page.take}>
        {format === 'markdown' && (
          <button type="button" className={styles.main} onClick={() => void copy()}>
            Copy as Markdown
          </button>
        )}
        {format === 'html' && (
          <a className={styles.main} href={`${html}&save=yes`} download>
            Save as HTML
          </a>
        )}
        {format === 'json' && (
          <a className={styles.main} href={`/api/casebook/${id}/hand-over?${query}&format=json`} download={`case-${id}.json`}>
            Save as JSON
          </a>
        )}
        {format === 'markdown' && (
          <a
            className={page.tool}
            href={`/api/casebook/${id}/hand-over?${query}`}
            download={`case-${id}.md`}
            aria-label="Save as Markdown"
            title="Save as Markdown"
          >
            <IconDownload size={16} stroke={1.6} />
          </a>
        )}
        <a className={page.tool} href={html} target="_blank" rel="noreferrer" aria-label="Open to print" title="Open to print">
          <IconPrinter size={16} stroke={1.6} />
        </a>
      </div>
      <p className={styles.dim} role="status">
        {copied}
      </p>
      <OnlyFor least="responder">
        {hasWords ? (
          <>
            <h3>its words, rewritten</h3>
            <SharedText
              text={caseText(doc, 'words')}
              value={content.words}
              label="words of the hand-over"
              hint=""
              isLong
              className={page.words}
            />
            <button
              type="button"
              className={styles.quiet}
              onClick={() => {
                const words = caseText(doc, 'words');
                words?.delete(0, words.length);
              }}
            >
              use the generated words again
            </button>
          </>
        ) : (
          <button type="button" className={styles.quiet} onClick={() => void rewrite()}>
            rewrite its words
          </button>
        )}
      </OnlyFor>
      <p className={styles.dim}>
        Every figure in it leads back to its page.{' '}
        {parts.includes('names') ? 'Names of people are in it.' : 'Names of people are left out.'}
      </p>
    </>
  );
}

function count(number: number, one: string, many: string): string {
  return `${number} ${number === 1 ? one : many}`;
}

function Shares({ id }: { id: number }) {
  const shares = useShares(id);
  const make = useMakeShare(id);
  const stop = useStopShare(id);
  const by = usePersonName();
  const zone = useZone();
  const now = Date.now();
  const fault = make.error ?? stop.error;
  return (
    <>
      <h3>for people who may only read</h3>
      <ul className={styles.plain}>
        {shares.data?.shares.map((it) => (
          <li key={it.token} className={page.share}>
            <a href={it.path}>frozen {dayTime(it.at, zone, now)}</a>
            <button
              type="button"
              className={styles.quiet}
              onClick={() => void navigator.clipboard?.writeText(location.origin + it.path)}
            >
              copy<span className="unseen"> the link of {dayTime(it.at, zone, now)}</span>
            </button>
            <button type="button" className={styles.quiet} onClick={() => stop.mutate(it.token)}>
              end<span className="unseen"> the link of {dayTime(it.at, zone, now)}</span>
            </button>
          </li>
        ))}
      </ul>
      {fault && <p role="alert">{fault.message}</p>}
      <button
        type="button"
        className={styles.quiet}
        disabled={make.isPending}
        onClick={() => make.mutate({ by, parts: USUAL_PARTS, zone, origin: location.origin })}
      >
        make a link to a frozen view
      </button>
      <p className={styles.dim}>It shows the hand-over as it is now, and nothing else. Who has the link needs no access.</p>
    </>
  );
}
