import type { ReactNode } from 'react';
import type {
  Evidence,
  FactsEvidence,
  FiguresEvidence,
  LinesEvidence,
  PartsEvidence,
  StackEvidence,
  TreeEvidence,
} from '../../core/casebook/evidence/evidence.ts';
import { tableOf } from '../../core/casebook/evidence/tableOf.ts';
import { valueText } from '../../core/casebook/evidence/valueText.ts';
import { clockTimeExact } from '../../core/time/clock.ts';
import { colourOf } from './drawn.ts';
import { EvidenceTable } from './EvidenceTable.tsx';
import './evidence.css';
import { FlamePicture } from './FlamePicture.tsx';
import { SeriesPicture } from './SeriesPicture.tsx';
import { SpreadPicture } from './SpreadPicture.tsx';
import { TimelinePicture } from './TimelinePicture.tsx';

interface EvidenceViewProps {
  readonly evidence: Evidence;
  /** In which times are told. */
  readonly zone: string;
  /** How many rows a table shows at first, and a list at all. */
  readonly rows?: number;
  /** The picture alone, where its title and the table behind it stand beside it. */
  readonly isBare?: boolean;
  /** On a page: its times are told as others there. */
  readonly today?: number;
}

/** A piece of frozen evidence: the picture, its caption, and the table behind it. It needs no script: the hand-over has it as it is here. */
export function EvidenceView({ evidence, zone, rows = 12, isBare = false, today }: EvidenceViewProps) {
  return (
    <figure className="ev">
      {drawn(evidence, zone, rows, today)}
      {!isBare && hasTableBehind(evidence) && (
        <details>
          <summary>as a table</summary>
          <EvidenceTable table={tableOf(evidence)} zone={zone} today={today} />
        </details>
      )}
      {!isBare && <figcaption>{evidence.title}</figcaption>}
    </figure>
  );
}

/** Whether it is a picture whose numbers are not all to be read in it. */
export function hasTableBehind({ form }: Evidence): boolean {
  return form === 'spread' || form === 'series' || form === 'timeline' || form === 'flame';
}

function drawn(evidence: Evidence, zone: string, rows: number, today: number | undefined): ReactNode {
  switch (evidence.form) {
    case 'spread':
      return <SpreadPicture evidence={evidence} />;
    case 'series':
      return <SeriesPicture evidence={evidence} zone={zone} />;
    case 'timeline':
      return <TimelinePicture evidence={evidence} />;
    case 'flame':
      return <FlamePicture evidence={evidence} />;
    case 'table':
      return <EvidenceTable table={evidence} zone={zone} first={rows} today={today} />;
    case 'parts':
      return <Parts evidence={evidence} zone={zone} most={rows} />;
    case 'figures':
      return <Figures evidence={evidence} zone={zone} today={today} />;
    case 'lines':
      return <Lines evidence={evidence} zone={zone} />;
    case 'stack':
      return <Stack evidence={evidence} />;
    case 'tree':
      return <Tree evidence={evidence} zone={zone} most={rows * 2} />;
    case 'text':
      return <pre className="ev-pre ev-wrap">{evidence.text}</pre>;
    case 'facts':
      return <Facts evidence={evidence} />;
  }
}

function Parts({ evidence: { unit, whole, parts }, zone, most }: { evidence: PartsEvidence; zone: string; most: number }) {
  const longest = Math.max(...parts.flatMap(({ value, before }) => [value, before ?? 0]), 0) || 1;
  const share = (value: number) => `${Math.max(0, (100 * value) / longest)}%`;
  const row = ({ name, note, kind, value, before }: PartsEvidence['parts'][number]) => (
    <li key={`${name} ${note} ${kind}`}>
      <span className="ev-swatch" aria-hidden="true" style={{ background: colourOf(kind, name) }} />
      <span className="ev-name" title={`${name} ${note}`}>
        <b>{name}</b> <span className="ev-note">{note}</span>
      </span>
      <span className="ev-bar" aria-hidden="true">
        <i style={{ width: share(value), background: colourOf(kind, name) }} />
        {before !== null && <i className="ev-was" style={{ width: share(before) }} />}
      </span>
      <span className="ev-mono">{valueText(value, unit, zone)}</span>
      <span className="ev-mono ev-note">
        {whole !== null
          ? valueText(whole === 0 ? 0 : value / whole, 'share', zone)
          : before !== null
            ? valueText(before, unit, zone)
            : ''}
      </span>
    </li>
  );
  if (parts.length === 0) return <p className="ev-note">Nothing.</p>;
  return (
    <>
      <ul className="ev-rows">{parts.slice(0, most).map(row)}</ul>
      {parts.length > most && (
        <details>
          <summary>{parts.length - most} smaller ones</summary>
          <ul className="ev-rows">{parts.slice(most).map(row)}</ul>
        </details>
      )}
    </>
  );
}

function Figures({ evidence: { figures }, zone, today }: { evidence: FiguresEvidence; zone: string; today: number | undefined }) {
  return (
    <dl className="ev-figures">
      {figures.map(({ name, unit, lit, before, note }) => (
        <div key={name}>
          <dt>{name}</dt>
          <dd>
            {before !== null && (
              <>
                <span className="ev-was">{valueText(before, unit, zone)}</span> →{' '}
              </>
            )}
            {valueText(lit, unit, zone, today)} {note !== '' && <span className="ev-note">{note}</span>}
          </dd>
        </div>
      ))}
    </dl>
  );
}

function Lines({ evidence: { lines }, zone }: { evidence: LinesEvidence; zone: string }) {
  return (
    <pre className="ev-pre">
      {lines.map(({ at, severity, service, text, marked }, index) => {
        const line = `${clockTimeExact(at, zone)} ${severity.padEnd(5)} ${service} ${text}\n`;
        // biome-ignore lint/suspicious/noArrayIndexKey: the lines are frozen
        return marked ? <mark key={index}>{line}</mark> : line;
      })}
    </pre>
  );
}

function Stack({ evidence: { frames, note } }: { evidence: StackEvidence }) {
  return (
    <>
      <pre className="ev-pre">
        {frames.map(({ text, own }, index) => {
          const line = `${text}\n`;
          // biome-ignore lint/suspicious/noArrayIndexKey: the frames are frozen
          return own ? <mark key={index}>{line}</mark> : line;
        })}
      </pre>
      {note !== '' && <p className="ev-note">{note}</p>}
    </>
  );
}

function Tree({ evidence: { unit, nodes }, zone, most }: { evidence: TreeEvidence; zone: string; most: number }) {
  // What it starts at waits for nobody: bars are of those that wait.
  const longest = Math.max(...nodes.map(({ value, starts }) => (starts ? 0 : (value ?? 0))), 0) || 1;
  const row = ({ depth, name, note, value, starts }: TreeEvidence['nodes'][number], index: number) => (
    <li key={index} data-starts={starts}>
      <span className="ev-name" style={{ marginLeft: Math.min(depth, 8) * 14 }} title={`${name} ${note}`}>
        <b>{name}</b> <span className="ev-note">{note}</span>
      </span>
      <span className="ev-bar" aria-hidden="true">
        {value !== null && !starts && <i style={{ width: `${(100 * value) / longest}%` }} />}
      </span>
      <span className="ev-mono">{valueText(value, unit, zone)}</span>
    </li>
  );
  return (
    <>
      <ul className="ev-tree">{nodes.slice(0, most).map(row)}</ul>
      {nodes.length > most && (
        <details>
          <summary>{nodes.length - most} more</summary>
          <ul className="ev-tree">{nodes.slice(most).map(row)}</ul>
        </details>
      )}
    </>
  );
}

function Facts({ evidence: { facts } }: { evidence: FactsEvidence }) {
  return (
    <dl className="ev-facts">
      {facts.map(([name, value], index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the facts are frozen
        <div key={index} style={{ display: 'contents' }}>
          <dt>{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}
