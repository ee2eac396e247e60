import { bind } from '../../api/endpoint.ts';
import { ribbon } from '../../api/ribbon/ribbon.ts';

export const GET = bind(ribbon);
