import type { OpenedTraces } from '../../api/traces/opened.ts';
import { sendJson } from './fetchJson.ts';

/** The largest file that is opened in a page; more is for `./dusk import`. */
const LARGEST = 100 * 1024 * 1024;

/** Has the traces of a file of OTLP JSON worked out, without their being stored. @throws Error in words why not */
export async function openFile(file: File): Promise<OpenedTraces> {
  if (file.size > LARGEST) throw new Error(`${file.name} has over 100 MB; ./dusk import takes it`);
  return sendJson('POST', '/api/traces/opened', { text: await file.text() });
}
