import { bind, bindBody } from '../../../api/endpoint.ts';
import { listRules, setRules } from '../../../api/rules/rules.ts';

export const GET = bind(listRules);
export const PUT = bindBody(setRules);
