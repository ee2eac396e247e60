import { IconDots } from '@tabler/icons-react';
import { type ReactNode, useRef, useState } from 'react';
import { formatCount } from '../../core/measures/amount.ts';
import { MenuButton } from '../menu/MenuButton.tsx';
import type { MenuEntry } from '../menu/menuEntry.ts';
import { saveCsv } from '../save/csv.ts';
import { saveFile } from '../save/file.ts';
import type { ShownData } from '../table/tableColumn.ts';
import styles from './Figure.module.css';

interface FigureProps {
  readonly title: string;
  /** What the figures beside the title say. */
  readonly note?: string;
  /** What the picture shows, as data; asked for when it is needed. */
  readonly data: () => Omit<ShownData, 'link' | 'title'>;
  /** What can be done from its highest point; by the mouse this is offered where one clicks. */
  readonly offers?: readonly { readonly label: string; readonly act: () => void }[];
  readonly children: ReactNode;
}

/** A picture with its title, the table behind it, and one small menu: its table, CSV, JSON, PNG, link. */
export function Figure({ title, note, data, offers = [], children }: FigureProps) {
  const picture = useRef<HTMLElement>(null);
  const [isTable, setTable] = useState(false);
  const shown = (): ShownData => ({ title, link: location.href, ...data() });
  const savePng = async () => {
    if (!picture.current) return;
    const { toBlob } = await import('html-to-image');
    const ground = getComputedStyle(document.body).backgroundColor;
    const blob = await toBlob(picture.current, { backgroundColor: ground, pixelRatio: 2 });
    if (blob) saveFile(`${title}.png`, blob);
  };
  const entries = (): MenuEntry[] => [
    ...offers.map(({ label, act }) => ({ key: label, words: `${label}, at the peak`, act })),
    ...(offers.length > 0 ? [{ line: 'table' }] : []),
    { key: 'table', words: isTable ? 'as a picture' : 'as a table', act: () => setTable(!isTable) },
    { line: 'saving' },
    { pins: 'picture', data: shown },
    { key: 'csv', words: 'save as CSV', act: () => saveCsv(title, [shown().columns, ...shown().rows]) },
    {
      key: 'json',
      words: 'save as JSON',
      act: () => saveFile(`${title}.json`, new Blob([JSON.stringify(shown(), null, 1)], { type: 'application/json' })),
    },
    { key: 'png', words: 'save as PNG', act: () => void savePng() },
    { key: 'link', words: 'copy the link', act: () => void navigator.clipboard?.writeText(location.href) },
  ];
  return (
    <figure className={styles.figure} ref={picture}>
      <figcaption>
        <b>{title}</b>
        {note && <span className="mono">{note}</span>}
        <MenuButton className={styles.menu} label={`${title}: table and saving`} entries={entries()}>
          <IconDots size={14} />
        </MenuButton>
      </figcaption>
      {isTable ? <DataBehind {...data()} title={title} /> : children}
    </figure>
  );
}

/** The numbers of a picture. */
function DataBehind({ title, columns, rows }: Omit<ShownData, 'link'>) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
    <section className={styles.behind} tabIndex={0} aria-label={`${title} as a table`}>
      <table>
        <thead>
          <tr>
            {columns.map((name) => (
              <th key={name}>{name}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={String(row[0])}>
              {row.map((value, at) => (
                <td key={columns[at]}>
                  {typeof value === 'number' ? formatCount(Number(value.toPrecision(4))) : (value ?? '–')}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
