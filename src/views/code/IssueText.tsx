import { useState } from 'react';
import type { CodeFinding, CodeFindings } from '../../api/code/findings.ts';
import { betterCode, type CodeTrial } from '../../core/fixes/codeTrial.ts';
import { fixReport, fixSentence } from '../../core/fixes/fixReport.ts';
import { habitCost, percent, placeOf, shortName } from '../../core/profile/words.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import { useFixes, useSetAside } from '../../ui/queries/code.ts';
import { saveFile } from '../../ui/save/file.ts';
import styles from './Findings.module.css';
import { issueText, sureWords, UNIT_WORDS } from './findingWords.ts';

/** The finding as text that can be handed over, and the way to set it aside. */
export function IssueText({ finding: it, answer }: { finding: CodeFinding; answer: CodeFindings }) {
  const fixes = useFixes(it.key);
  const setAside = useSetAside();
  const [reason, setReason] = useState<string>();
  const [copied, setCopied] = useState(false);
  const trial = fixes.data?.trial as CodeTrial | null | undefined;
  const text = () => issueText(it, answer.litWindow, location.href, trial ? fixReport(trial) : '');
  const copy = async () => {
    await navigator.clipboard.writeText(text()).catch(() => saveFile('issue.md', new Blob([text()], { type: 'text/markdown' })));
    setCopied(true);
  };
  return (
    <div className={styles.aside}>
      <h2>
        Issue text <span className="dim">as Markdown</span>
      </h2>
      <article className={styles.issue}>
        <h3>
          {it.service} {it.version}: {it.title.toLowerCase()}
        </h3>
        <p>
          <b>Where.</b> <code>{shortName(it.place.name)}</code> at <code>{placeOf(it.place)}</code>.
        </p>
        <p>
          <b>Cost.</b> {percent(it.share)} % of its {UNIT_WORDS[it.unit]}, {habitCost(it.value, it.unit)} in the window;{' '}
          {it.usual ? `usual ${percent(it.usual.low)}–${percent(it.usual.high)} %` : 'what is usual is not known'}
          {it.overUsual ? `, so ${habitCost(it.overUsual, it.unit)} more than usual` : ''}.
        </p>
        <p>
          <b>How sure.</b> {sureWords(it)}
        </p>
        {trial && (
          <p>
            <b>Fix, measured.</b> {fixSentence(trial)}
            {betterCode(trial)[0] && `, in ${betterCode(trial)[0].file}`}.
          </p>
        )}
        <p>
          <b>What to do.</b> {it.advice}
        </p>
      </article>
      <p className={styles.actions}>
        <button type="button" data-main="true" onClick={() => void copy()}>
          {copied ? 'Copied' : 'Copy issue text'}
        </button>
        <button type="button" onClick={() => saveFile('issue.md', new Blob([text()], { type: 'text/markdown' }))}>
          Save
        </button>
      </p>
      {it.setAside ? (
        <p>
          Set aside: {it.setAside}.{' '}
          <OnlyFor least="responder">
            <button type="button" className={styles.plain} onClick={() => setAside.mutate({ key: it.key, reason: '' })}>
              Count it again
            </button>
          </OnlyFor>
        </p>
      ) : reason === undefined ? (
        <OnlyFor least="responder">
          <p className="dim">
            Is this cost wanted?{' '}
            <button type="button" className={styles.plain} onClick={() => setReason('')}>
              Set it aside, with a reason
            </button>
          </p>
        </OnlyFor>
      ) : (
        <form
          className={styles.reason}
          onSubmit={(event) => {
            event.preventDefault();
            if (reason.trim()) setAside.mutate({ key: it.key, reason }, { onSuccess: () => setReason(undefined) });
          }}
        >
          <label>
            Why it is as it should be
            <input value={reason} onChange={(event) => setReason(event.target.value)} maxLength={500} required />
          </label>
          <p className={styles.actions}>
            <button type="submit" disabled={!reason.trim() || setAside.isPending}>
              Set aside
            </button>
            <button type="button" onClick={() => setReason(undefined)}>
              Keep it
            </button>
          </p>
        </form>
      )}
      {setAside.error && <p role="alert">{setAside.error.message}</p>}
    </div>
  );
}
