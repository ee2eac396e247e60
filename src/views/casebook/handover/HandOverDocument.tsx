import { momentText } from '../../../core/casebook/evidence/valueText.ts';
import type { HandOver, HandOverFigure, HandOverHypothesis } from '../../../core/casebook/handover/handOver.ts';
import { aboutWords, scopeWords, spanWords } from '../../../core/casebook/handover/handOverMarkdown.ts';
import { impactFigures } from '../../../core/casebook/impactWords.ts';
import { Markdown, MarkdownLine } from '../../../ui/casebook/Markdown.tsx';
import { EvidenceView } from '../../../ui/evidence/EvidenceView.tsx';

/** A hand-over as a document of its own: the order is that of its Markdown, the pictures are in it, no script is. */
export function HandOverDocument({ handOver: it, isFrozen }: { handOver: HandOver; isFrozen: boolean }) {
  return (
    <main>
      <p className="ho-dim">
        Case {it.number} · {it.state}
        {it.team !== '' && ` · to ${it.team}`}
        {it.keptBy !== '' && ` · kept by ${it.keptBy}`} · written {momentText(it.writtenAt, it.zone)}
        {isFrozen && ' · a frozen view: it does not change any more'}
      </p>
      {it.words.trim() === '' ? (
        <>
          <h1>{it.title || `Case ${it.number}`}</h1>
          <Generated handOver={it} />
          <Evidence handOver={it} />
          <AfterEvidence handOver={it} />
        </>
      ) : (
        <>
          <Markdown text={it.words} />
          <Evidence handOver={it} />
        </>
      )}
      <Links handOver={it} />
    </main>
  );
}

function Generated({ handOver: it }: { handOver: HandOver }) {
  const impact = impactFigures(it.impact, it);
  return (
    <>
      <h2>Impact</h2>
      {impact.length === 0 ? (
        <p>Not known.</p>
      ) : (
        <dl className="ho-impact">
          {impact.map(({ what, figure, note }) => (
            <div key={what}>
              <dt>{what}</dt>
              <dd>
                {figure} {note !== '' && <span>{note}</span>}
              </dd>
            </div>
          ))}
        </dl>
      )}
      <h2>Since when</h2>
      <p>
        {spanWords(it)}
        {aboutWords(it)}
      </p>
      {it.log.length > 0 && (
        <>
          <h2>What we saw</h2>
          <ol className="ho-log">
            {it.log.map((entry, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the log is written out once
              <li key={at}>
                <time dateTime={new Date(entry.at).toISOString()}>
                  {momentText(entry.at, it.zone)}
                  {entry.page !== '' && <span className="ho-dim"> {entry.page}</span>}
                </time>
                <span>
                  <MarkdownLine text={entry.text} /> <FigureLinks numbers={entry.figures} />
                  {entry.by !== '' && <span className="ho-dim"> – {entry.by}</span>}
                </span>
              </li>
            ))}
          </ol>
        </>
      )}
      {it.hypotheses.length > 0 && (
        <>
          <h2>What it could be</h2>
          <HypothesisList hypotheses={it.hypotheses} />
        </>
      )}
      {it.notes.trim() !== '' && (
        <>
          <h2>Notes</h2>
          <Markdown text={it.notes} />
        </>
      )}
    </>
  );
}

function AfterEvidence({ handOver: it }: { handOver: HandOver }) {
  return (
    <>
      {it.ruledOut.length > 0 && (
        <>
          <h2>What was ruled out</h2>
          <HypothesisList hypotheses={it.ruledOut} />
        </>
      )}
      {it.asked.length > 0 && (
        <>
          <h2>What we ask of you</h2>
          <ol>
            {it.asked.map((text) => (
              <li key={text}>
                <MarkdownLine text={text} />
              </li>
            ))}
          </ol>
        </>
      )}
      {it.helped.trim() !== '' && (
        <>
          <h2>What helped</h2>
          <p>
            <MarkdownLine text={it.helped} />
          </p>
        </>
      )}
    </>
  );
}

function HypothesisList({ hypotheses }: { hypotheses: readonly HandOverHypothesis[] }) {
  return (
    <ul>
      {hypotheses.map((it) => (
        <li key={it.text}>
          <span className="ho-standing">{it.standing}</span>: <MarkdownLine text={it.text} />
          {it.reason !== '' && (
            <>
              {' – '}
              <MarkdownLine text={it.reason} />
            </>
          )}
          {it.for.length > 0 && (
            <>
              {'; for it '}
              <FigureLinks numbers={it.for} />
            </>
          )}
          {it.against.length > 0 && (
            <>
              {'; against it '}
              <FigureLinks numbers={it.against} />
            </>
          )}
        </li>
      ))}
    </ul>
  );
}

function FigureLinks({ numbers }: { numbers: readonly number[] }) {
  return numbers.map((number) => (
    <a key={number} className="ho-fig" href={`#figure-${number}`}>
      fig. {number}{' '}
    </a>
  ));
}

function Evidence({ handOver: { figures, zone } }: { handOver: HandOver }) {
  if (figures.length === 0) return null;
  return (
    <>
      <h2>Evidence</h2>
      {figures.map((figure) => (
        <Figure key={figure.id} figure={figure} zone={zone} />
      ))}
    </>
  );
}

function Figure({ figure: it, zone }: { figure: HandOverFigure; zone: string }) {
  return (
    <section id={`figure-${it.number}`}>
      <h3>
        <span className="ho-fig">fig. {it.number}</span> {it.title}
      </h3>
      <p className="ho-dim">
        {it.kind}, {scopeWords(it.scope, zone)}; frozen {momentText(it.at, zone)}
      </p>
      {it.evidence.map((one, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the evidence is frozen
        <EvidenceView key={at} evidence={one} zone={zone} rows={20} />
      ))}
    </section>
  );
}

function Links({ handOver: it }: { handOver: HandOver }) {
  return (
    <>
      <h2>Links</h2>
      <p className="ho-dim">They lead into Dusk Lantern, for those who have access to it.</p>
      <ul>
        <li>
          <a href={it.link}>Case {it.number}</a>
        </li>
        {it.figures.map(({ number, title, link }) => (
          <li key={number}>
            <a href={link}>
              fig. {number}: {title}
            </a>
          </li>
        ))}
        {it.steps.map(({ at, title, link }) => (
          <li key={`${at} ${link}`}>
            {momentText(at, it.zone)} <a href={link}>{title}</a>
          </li>
        ))}
      </ul>
    </>
  );
}
