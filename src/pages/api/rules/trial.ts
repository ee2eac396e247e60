import { bindBody } from '../../../api/endpoint.ts';
import { tryRule } from '../../../api/rules/rules.ts';

export const POST = bindBody(tryRule);
