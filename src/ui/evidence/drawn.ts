import { WAIT_CLASSES } from '../../core/database/waitClasses.ts';
import { serviceColour } from '../../core/trace/serviceColour.ts';
import { TIME_KINDS } from '../../core/trace/time/timeKind.ts';

/** Pictures of evidence are drawn in this width and scaled to where they stand. */
export const WIDTH = 480;

/** The colour of a part: of its kind of time or wait class where it has one, of a service by its name; else gold for what is lit. */
export function colourOf(kind: string, name: string): string {
  if (TIME_KINDS.some((it) => it === kind)) return `var(--t-${kind})`;
  const waitClass = [kind, name].find((it) => WAIT_CLASSES.some((one) => one === it));
  return waitClass ? `var(--w-${waitClass.toLowerCase()})` : 'var(--lit)';
}

export function serviceOf(service: string): string {
  return `var(--s-${serviceColour(service)})`;
}

/** A number as it stands in a path: short, so that a page of pictures stays small. */
export function px(value: number): string {
  return String(Math.round(value * 10) / 10);
}
