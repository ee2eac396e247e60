import { IconCopy, IconFilter } from '@tabler/icons-react';
import { type ReactNode, useEffect, useState } from 'react';
import { formatCount } from '../../core/measures/amount.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip } from '../../core/scope/scope.ts';
import type { AttributeValue } from '../../core/trace/span.ts';
import { useScope } from '../state/scopeState.ts';
import { prettyJson } from './groups.ts';
import styles from './Values.module.css';

/** A value longer than this stands below its name. */
const WIDE = 34;
/** A value longer than this is cut until it is opened. */
const LONG = 400;
/** More of a value than this is not shown. */
const MOST = 20_000;
/** Longer values are no good for a condition. */
const LONGEST_CONDITION = 120;
/** Statements longer than this stay as they came: to set them out would take too long. */
const LONGEST_STATEMENT = 8_000;

interface ValuesProps {
  readonly title?: string;
  readonly entries: readonly (readonly [key: string, value: AttributeValue])[];
  /** Where "narrow to this" leads; without it, the page that is open is narrowed. @see Scope */
  readonly narrowTo?: string;
  /** Whether they are attributes, by which requests can be narrowed. */
  readonly fields?: boolean;
}

/** Names and values: each can be copied, and each attribute be narrowed to. Statements and JSON are set out. */
export function Values({ title, entries, narrowTo = '/traces', fields = false }: ValuesProps) {
  const { scope, href } = useScope();
  if (entries.length === 0) return null;
  return (
    <section className={styles.values}>
      {title && <h3>{title}</h3>}
      <dl>
        {entries.map(([key, value]) => {
          const text = textOf(value);
          const canNarrow =
            fields && value !== null && typeof value !== 'object' && text !== '' && text.length <= LONGEST_CONDITION;
          return (
            <div key={key} data-wide={text.length > WIDE}>
              <dt>{breakable(key)}</dt>
              <dd>
                <Value name={key} text={text} />
                <span className={styles.acts}>
                  {canNarrow && (
                    <a
                      href={href(narrowTo, withChip(scope, condition(key, 'is', text)))}
                      aria-label={`Narrow to ${key} ${text}`}
                      title={`narrow to ${key} is ${text}`}
                      suppressHydrationWarning
                    >
                      <IconFilter size={13} />
                    </a>
                  )}
                  <CopyButton name={key} text={text} />
                </span>
              </dd>
            </div>
          );
        })}
      </dl>
    </section>
  );
}

function CopyButton({ name, text }: { name: string; text: string }) {
  const [copied, setCopied] = useState(false);
  const copy = async () => {
    await navigator.clipboard.writeText(text);
    setCopied(true);
    setTimeout(() => setCopied(false), 1200);
  };
  return (
    <button
      type="button"
      aria-label={`Copy ${name}`}
      title={copied ? 'copied' : 'copy'}
      data-copied={copied}
      onClick={() => void copy()}
    >
      <IconCopy size={13} />
    </button>
  );
}

function Value({ name, text }: { name: string; text: string }) {
  if (name === 'db.query.text' || name === 'db.statement') return <Statement text={text} />;
  const json = text.length > WIDE && text.length <= MOST ? prettyJson(text) : undefined;
  if (json !== undefined) return <Long text={json} kind="JSON" />;
  return text.length > LONG ? <Long text={text} /> : text;
}

function Long({ text, kind }: { text: string; kind?: string }) {
  return (
    <details open={text.length <= LONG}>
      <summary>
        {kind ? `${kind}, ` : `${text.slice(0, 80)}… `}
        {formatCount(text.length)} characters
      </summary>
      {text.slice(0, MOST)}
      {text.length > MOST && ` … ${formatCount(text.length - MOST)} characters more; the copy has them all`}
    </details>
  );
}

/** A statement, set out in lines; as it came until that is done, and when it cannot be understood. */
function Statement({ text }: { text: string }) {
  const [setOut, setSetOut] = useState<string>();
  useEffect(() => {
    let gone = false;
    setSetOut(undefined);
    if (text.length > WIDE && text.length <= LONGEST_STATEMENT)
      void import('sql-formatter')
        .then(({ format }) => format(text, { language: 'postgresql', keywordCase: 'upper', tabWidth: 2 }))
        // Of another dialect, or not complete.
        .catch(() => undefined)
        .then((formatted) => !gone && setSetOut(formatted));
    return () => {
      gone = true;
    };
  }, [text]);
  return setOut === undefined && text.length > LONG ? <Long text={text} /> : (setOut ?? text);
}

/** A key that may be broken after its dots. */
function breakable(key: string): ReactNode[] {
  const parts = key.split(/(?<=\.)/);
  return parts.flatMap((part, at) => (at === 0 ? [part] : [<wbr key={parts.slice(0, at).join('')} />, part]));
}

function textOf(value: AttributeValue): string {
  return typeof value === 'string' ? value : JSON.stringify(value);
}
