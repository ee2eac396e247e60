import { bind } from '../../../api/endpoint.ts';
import { peerOverview } from '../../../api/services/peer.ts';

export const GET = bind(peerOverview);
