import { bind } from '../../../api/endpoint.ts';
import { state } from '../../../api/intake/state.ts';

export const GET = bind(state);
