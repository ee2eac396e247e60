import { serviceColour } from '../../core/trace/serviceColour.ts';
import { shownName } from './shownName.ts';

/** The colour of a service, as a CSS value. */
export function colourOf(service: string): string {
  return `var(--s-${serviceColour(service)})`;
}

/** A service's colour as a small upright bar, beside its name. */
export function ServiceMark({ service, height = 14 }: { service: string; height?: number }) {
  return (
    <span
      aria-hidden="true"
      title={shownName(service)}
      style={{ display: 'inline-block', flex: 'none', width: 4, height, borderRadius: 2, background: colourOf(service) }}
    />
  );
}
