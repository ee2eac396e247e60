import { codeBlock, markdownTable, plainInMarkdown, withoutHtml } from '../../markdown/markdownText.ts';
import type { Evidence } from '../evidence/evidence.ts';
import { tableOf } from '../evidence/tableOf.ts';
import { momentText, valueText } from '../evidence/valueText.ts';
import { impactFigures } from '../impactWords.ts';
import type { HandOver, HandOverFigure, HandOverHypothesis } from './handOver.ts';

/** Rows of a table that are written out; the JSON has all. */
const MOST_ROWS = 40;

/** A hand-over as Markdown, in the order that the other team needs: impact, since when, what was seen, evidence, what was ruled out, what is asked, links. */
export function handOverMarkdown(it: HandOver): string {
  if (it.words.trim() !== '') return [withoutHtml(it.words).trim(), ...evidenceSection(it), ...linkSection(it)].join('\n\n');
  return [...generatedWords(it), ...evidenceSection(it), ...afterEvidence(it), ...linkSection(it)].join('\n\n');
}

/** The words that are generated, without evidence and links: what somebody who edits them begins with. */
export function handOverWords(it: HandOver): string {
  return [...generatedWords(it), ...afterEvidence(it)].join('\n\n');
}

/** Since when and until when, in words. */
export function spanWords({ since, until, zone }: Pick<HandOver, 'since' | 'until' | 'zone'>): string {
  if (since === null) return 'Not known since when.';
  return until === null
    ? `Since ${momentText(since, zone)}, still going on.`
    : `From ${momentText(since, zone)} until ${momentText(until, zone)}.`;
}

/** What it is about, to stand after since when; empty where that is not narrowed. @param written how a name is written */
export function aboutWords(
  { where, visitsOf }: Pick<HandOver, 'where' | 'visitsOf'>,
  written: (text: string) => string = (text) => text,
): string {
  return `${where === '' ? '' : ` Requests with ${written(where)}.`}${visitsOf === '' ? '' : ` Visits of ${written(visitsOf)}.`}`;
}

function generatedWords(it: HandOver): string[] {
  const impact = impactFigures(it.impact, it);
  return [
    `# ${plainInMarkdown(it.title || `Case ${it.number}`)}`,
    [
      `Case ${it.number} · ${it.state}`,
      ...(it.team === '' ? [] : [`to ${plainInMarkdown(it.team)}`]),
      ...(it.keptBy === '' ? [] : [`kept by ${plainInMarkdown(it.keptBy)}`]),
      `written ${momentText(it.writtenAt, it.zone)}`,
    ].join(' · '),
    '## Impact',
    impact.length === 0
      ? 'Not known.'
      : impact
          .map(
            ({ what, figure, note }) =>
              `- ${plainInMarkdown(what)}: **${figure}**${note === '' ? '' : ` (${plainInMarkdown(note)})`}`,
          )
          .join('\n'),
    '## Since when',
    `${spanWords(it)}${aboutWords(it, plainInMarkdown)}`,
    ...(it.log.length === 0
      ? []
      : [
          '## What we saw',
          it.log
            .map(
              ({ at, page, text, by, figures }) =>
                `- **${momentText(at, it.zone)}**${page === '' ? '' : ` (${plainInMarkdown(page)})`} ${withoutHtml(text).replace(/\s+/g, ' ')}${figureRefs(figures)}${by === '' ? '' : ` – ${plainInMarkdown(by)}`}`,
            )
            .join('\n'),
        ]),
    ...(it.hypotheses.length === 0 ? [] : ['## What it could be', it.hypotheses.map(hypothesisLine).join('\n')]),
    ...(it.notes.trim() === '' ? [] : ['## Notes', withoutHtml(it.notes).trim()]),
  ];
}

function afterEvidence(it: HandOver): string[] {
  return [
    ...(it.ruledOut.length === 0 ? [] : ['## What was ruled out', it.ruledOut.map(hypothesisLine).join('\n')]),
    ...(it.asked.length === 0
      ? []
      : ['## What we ask of you', it.asked.map((text, at) => `${at + 1}. ${withoutHtml(text).replace(/\s+/g, ' ')}`).join('\n')]),
    ...(it.helped.trim() === '' ? [] : ['## What helped', withoutHtml(it.helped).trim()]),
  ];
}

function hypothesisLine({ standing, text, reason, for: supporting, against }: HandOverHypothesis): string {
  return [
    `- **${standing}**: ${withoutHtml(text).replace(/\s+/g, ' ')}`,
    reason === '' ? '' : ` – ${withoutHtml(reason).replace(/\s+/g, ' ')}`,
    supporting.length === 0 ? '' : `; for it:${figureRefs(supporting)}`,
    against.length === 0 ? '' : `; against it:${figureRefs(against)}`,
  ].join('');
}

function figureRefs(figures: readonly number[]): string {
  return figures.length === 0 ? '' : ` ${figures.map((at) => `*fig. ${at}*`).join(' ')}`;
}

function evidenceSection(it: HandOver): string[] {
  if (it.figures.length === 0) return [];
  return ['## Evidence', ...it.figures.flatMap((figure) => figureMarkdown(figure, it.zone))];
}

function figureMarkdown({ number, title, kind, scope, link, at, evidence }: HandOverFigure, zone: string): string[] {
  return [
    `### Fig. ${number}: ${plainInMarkdown(title)}`,
    `${plainInMarkdown(`${kind}, ${scopeWords(scope, zone)}`)}; frozen ${momentText(at, zone)}. ${linkTo('The same page', link)}`,
    ...evidence.flatMap((it) => evidenceMarkdown(it, zone)),
  ];
}

/** The window of something frozen, in words. */
export function scopeWords({ from, to, before, where }: HandOverFigure['scope'], zone: string): string {
  return [
    to > from ? `${momentText(from, zone)} to ${momentText(to, zone)}` : `at ${momentText(from, zone)}`,
    before === null ? '' : `against ${momentText(before.from, zone)} to ${momentText(before.to, zone)}`,
    where === '' ? '' : `with ${where}`,
  ]
    .filter((it) => it !== '')
    .join(', ');
}

function evidenceMarkdown(it: Evidence, zone: string): string[] {
  const title = `**${plainInMarkdown(it.title)}**`;
  if (it.form === 'text') return [title, codeBlock(it.text)];
  if (it.form === 'stack')
    return [
      title,
      codeBlock(it.frames.map(({ text, own }) => `${own ? '> ' : '  '}${text}`).join('\n')),
      ...(it.note ? [plainInMarkdown(it.note)] : []),
    ];
  if (it.form === 'lines')
    return [
      title,
      codeBlock(
        it.lines
          .map(({ at, severity, service, text, marked }) =>
            `${marked ? '>' : ' '} ${new Date(at).toISOString()} ${severity.padEnd(5)} ${service} ${text}`.trimEnd(),
          )
          .join('\n'),
      ),
    ];
  if (it.form === 'figures')
    return [
      title,
      markdownTable(
        ['figure', 'before', 'lit', ''],
        it.figures.map(({ name, unit, before, lit, note }) => [
          name,
          valueText(before, unit, zone),
          valueText(lit, unit, zone),
          note,
        ]),
        [false, true, true, false],
      ),
    ];
  const { columns, rows, leftOut } = tableOf(it);
  const beyond = leftOut + Math.max(0, rows.length - MOST_ROWS);
  return [
    title,
    markdownTable(
      columns.map((column) => column.title),
      rows.slice(0, MOST_ROWS).map((row) => row.map((cell, at) => valueText(cell, columns[at].unit, zone))),
      columns.map(({ unit }) => unit !== 'text'),
    ),
    ...(beyond > 0 ? [`${beyond} more rows.`] : []),
  ];
}

function linkSection(it: HandOver): string[] {
  return [
    '## Links',
    [
      `- ${linkTo(`Case ${it.number}`, it.link)}`,
      ...it.figures.map(({ number, title, link }) => `- ${linkTo(`Fig. ${number}: ${title}`, link)}`),
      ...it.steps.map(({ at, title, link }) => `- ${momentText(at, it.zone)} ${linkTo(title, link)}`),
    ].join('\n'),
  ];
}

/** Links were put together of addresses that are escaped already: only what would end the link is escaped here. */
function linkTo(words: string, link: string): string {
  return `[${plainInMarkdown(words)}](<${link.replace(/[<>\s\\]/g, encodeURIComponent)}>)`;
}
