import { bindBody } from '../../../api/endpoint.ts';
import { makeLink } from '../../../api/links/links.ts';

export const POST = bindBody(makeLink);
