import styles from './BesideSpan.module.css';

interface CodeLineProps {
  readonly frame: { readonly name: string; readonly file: string; readonly line: number };
  readonly own: boolean;
  /** The library function in which most of it was. */
  readonly below: string | null;
  /** Of all, 0 to 1. */
  readonly share: number;
  /** What stands before it, and the exact value. */
  readonly figure: string;
  readonly title: string;
}

/** A line of code with its share of something. */
export function CodeLine({ frame: { name, file, line }, own, below, share, figure, title }: CodeLineProps) {
  return (
    <li title={title} data-own={own}>
      <span className={styles.share} style={{ width: `${100 * share}%` }} />
      <b className="mono">{figure}</b>
      <code>
        {name} {file !== '' && <i>{line > 0 ? `${file}:${line}` : file}</i>}
        {below !== null && <i> in {below}</i>}
      </code>
    </li>
  );
}
