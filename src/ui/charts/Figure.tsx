import { Menu } from '@mantine/core';
import { IconDots } from '@tabler/icons-react';
import { type ReactNode, useRef, useState } from 'react';
import { formatCount } from '../../core/measures/amount.ts';
import { PinShown } from '../casebook/PinShown.tsx';
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
  return (
    <figure className={styles.figure} ref={picture}>
      <figcaption>
        <b>{title}</b>
        {note && <span className="mono">{note}</span>}
        <Menu position="bottom-end" withinPortal={false}>
          <Menu.Target>
            <button type="button" className={styles.menu} aria-label={`${title}: table and saving`}>
              <IconDots size={14} />
            </button>
          </Menu.Target>
          <Menu.Dropdown>
            {offers.map(({ label, act }) => (
              <Menu.Item key={label} onClick={act}>
                {label}, at the peak
              </Menu.Item>
            ))}
            {offers.length > 0 && <Menu.Divider />}
            <Menu.Item onClick={() => setTable(!isTable)}>{isTable ? 'as a picture' : 'as a table'}</Menu.Item>
            <Menu.Divider />
            <PinShown kind="picture" data={shown} />
            <Menu.Item onClick={() => saveCsv(title, [shown().columns, ...shown().rows])}>save as CSV</Menu.Item>
            <Menu.Item
              onClick={() =>
                saveFile(`${title}.json`, new Blob([JSON.stringify(shown(), null, 1)], { type: 'application/json' }))
              }
            >
              save as JSON
            </Menu.Item>
            <Menu.Item onClick={() => void savePng()}>save as PNG</Menu.Item>
            <Menu.Item onClick={() => void navigator.clipboard?.writeText(location.href)}>copy the link</Menu.Item>
          </Menu.Dropdown>
        </Menu>
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
