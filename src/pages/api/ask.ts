import { askAnything } from '../../api/ask/ask.ts';
import { bind } from '../../api/endpoint.ts';

export const GET = bind(askAnything);
