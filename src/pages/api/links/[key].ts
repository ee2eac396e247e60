import { bind } from '../../../api/endpoint.ts';
import { followLink } from '../../../api/links/links.ts';

export const GET = bind(followLink);
