import { useJourneys } from '../../ui/queries/now.ts';
import styles from './Machines.module.css';

/** Whose layers are looked at: those of a journey, of a service, or all. */
export interface Whose {
  readonly journey: string;
  readonly layersOf: string;
}

interface WhoseLayersProps {
  readonly whose: Whose;
  /** Services to choose from, and how many instances there are of what is shown. */
  readonly services: readonly string[];
  readonly instances: number;
  readonly choose: (whose: Whose) => void;
}

/** Chooses whose layers are shown. */
export function WhoseLayers({ whose, services, instances, choose }: WhoseLayersProps) {
  const journeys = useJourneys().data?.journeys ?? [];
  const { journey, layersOf } = whose;
  const value = journey ? `journey ${journey}` : layersOf ? `service ${layersOf}` : '';
  const names = new Set([...journeys.map(({ name }) => name), ...(journey ? [journey] : [])]);
  const all = [...new Set([...services, ...(layersOf ? [layersOf] : [])])].sort();
  return (
    <select
      className={styles.chip}
      aria-label="Whose layers"
      value={value}
      onChange={(event) => {
        const [, kind = '', name = ''] = /^(journey|service) (.*)$/s.exec(event.currentTarget.value) ?? [];
        choose({ journey: kind === 'journey' ? name : '', layersOf: kind === 'service' ? name : '' });
      }}
    >
      <option value="">{value === '' ? `${instances} instances` : 'all instances'}</option>
      {names.size > 0 && (
        <optgroup label="Journeys">
          {[...names].map((name) => (
            <option key={name} value={`journey ${name}`}>
              {name}
            </option>
          ))}
        </optgroup>
      )}
      <optgroup label="Services">
        {all.map((name) => (
          <option key={name} value={`service ${name}`}>
            {name}
          </option>
        ))}
      </optgroup>
    </select>
  );
}
