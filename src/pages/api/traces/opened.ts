import { bindBody } from '../../../api/endpoint.ts';
import { opened } from '../../../api/traces/opened.ts';

/** A file of a trace may be large; more than this is for `./dusk import`. */
const LONGEST = 128 * 1024 * 1024;

export const POST = bindBody(opened, LONGEST);
