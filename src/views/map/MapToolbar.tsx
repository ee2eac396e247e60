import { IconDownload, IconSearch } from '@tabler/icons-react';
import { type RefObject, useRef, useState } from 'react';
import { Dropdown } from '../../ui/menu/Dropdown.tsx';
import styles from './Map.module.css';
import { ALL_STEPS, LEAST_SHARES, type MapOptions } from './options.ts';

interface MapToolbarProps {
  readonly options: MapOptions;
  readonly change: (part: Partial<MapOptions>) => void;
  readonly namespaces: readonly string[];
  /** The name of the node that the map is drawn around. */
  readonly aroundName: string;
  readonly sought: string;
  readonly seek: (text: string) => void;
  /** Goes to the first that is found. */
  readonly toFound: () => void;
  readonly search: RefObject<HTMLInputElement | null>;
  readonly save: (as: SavedAs) => void;
}

export const SAVED_AS = ['SVG picture', 'PNG picture', 'JSON', 'GraphViz DOT', 'Mermaid', 'CSV'] as const;
export type SavedAs = (typeof SAVED_AS)[number];

/** What is drawn, and how. */
export function MapToolbar(props: MapToolbarProps) {
  const { options, change, namespaces, aroundName, sought, seek, toFound, search, save } = props;
  const [saving, setSaving] = useState(false);
  const saver = useRef<HTMLButtonElement>(null);
  return (
    <div className={styles.bar} role="toolbar" aria-label="How the map is drawn">
      <button
        type="button"
        aria-pressed={options.level === 'operations'}
        title="Draw each operation separately"
        onClick={() => change({ level: options.level === 'operations' ? 'services' : 'operations', around: '', node: '' })}
      >
        operations
      </button>
      {namespaces.length > 0 && options.level === 'services' && (
        <button
          type="button"
          aria-pressed={options.group === 'namespace'}
          title="Draw the services of a team as one; a double click opens a team"
          onClick={() => change({ group: options.group === 'namespace' ? 'none' : 'namespace', open: [], around: '', node: '' })}
        >
          by team
        </button>
      )}
      {options.group === 'namespace' && options.open.length > 0 && (
        <button type="button" onClick={() => change({ open: [] })}>
          close {options.open.join(', ')}
        </button>
      )}
      <button
        type="button"
        aria-pressed={options.clientErrors === 'hidden'}
        title="Client errors (4xx) count as successful"
        onClick={() => change({ clientErrors: options.clientErrors === 'hidden' ? 'shown' : 'hidden' })}
      >
        hide 4xx
      </button>
      <button
        type="button"
        aria-pressed={options.changed}
        title="Only what is new, gone, slower or failing more than before, and what it touches"
        onClick={() => change({ changed: !options.changed })}
      >
        changed
      </button>
      <select
        aria-label="Which requests"
        value={options.of}
        onChange={(event) => change({ of: event.target.value as MapOptions['of'] })}
      >
        <option value="all">all requests, against before</option>
        <option value="slow">slow ones, against the rest</option>
        <option value="failed">failed ones, against the rest</option>
      </select>
      <select
        aria-label="Least traffic"
        value={options.least}
        onChange={(event) => change({ least: Number(event.target.value) })}
      >
        {LEAST_SHARES.map((share) => (
          <option key={share} value={share}>
            {share === 0 ? 'any traffic' : `over ${share * 100} % of the busiest`}
          </option>
        ))}
      </select>
      {options.around !== '' && (
        <>
          <Steps label="callers" value={options.up} set={(up) => change({ up })} />
          <span>of {aroundName} and</span>
          <Steps label="callees" value={options.down} set={(down) => change({ down })} />
          <button type="button" onClick={() => change({ around: '', up: ALL_STEPS, down: ALL_STEPS })}>
            all of the map
          </button>
        </>
      )}
      <span className={styles.rest} />
      <IconSearch size={13} aria-hidden="true" />
      <input
        ref={search}
        type="search"
        aria-label="Find on the map"
        placeholder="find a service  f"
        value={sought}
        onChange={(event) => seek(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === 'Enter') toFound();
          if (event.key === 'Escape') {
            seek('');
            event.currentTarget.blur();
          }
        }}
      />
      <button
        type="button"
        aria-pressed={options.as === 'table'}
        title="The same numbers as a table (t)"
        onClick={() => change({ as: options.as === 'table' ? 'picture' : 'table' })}
      >
        table
      </button>
      <button ref={saver} type="button" aria-label="Save the map" aria-expanded={saving} onClick={() => setSaving(!saving)}>
        <IconDownload size={13} />
      </button>
      <Dropdown at={saver} isOpen={saving} close={() => setSaving(false)} position="bottom-end" className={styles.saves}>
        {SAVED_AS.map((as) => (
          <button
            key={as}
            type="button"
            onClick={() => {
              setSaving(false);
              save(as);
            }}
          >
            {as}
          </button>
        ))}
      </Dropdown>
    </div>
  );
}

function Steps({ label, value, set }: { label: string; value: number; set: (value: number) => void }) {
  return (
    <select aria-label={`Steps of ${label}`} value={value} onChange={(event) => set(Number(event.target.value))}>
      {[0, 1, 2, 3, ALL_STEPS].map((steps) => (
        <option key={steps} value={steps}>
          {steps === 0
            ? `no ${label}`
            : steps === ALL_STEPS
              ? `all ${label}`
              : `${label}, ${steps} ${steps === 1 ? 'step' : 'steps'}`}
        </option>
      ))}
    </select>
  );
}
