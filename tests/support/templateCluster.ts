import { makeTemplate } from './installation.ts';

/** Set up once for all files of a run: the database that their installations are copies of. */
export default async function setup(): Promise<() => void> {
  return makeTemplate();
}
