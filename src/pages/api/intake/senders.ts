import { bind } from '../../../api/endpoint.ts';
import { senders } from '../../../api/intake/senders.ts';

export const GET = bind(senders);
