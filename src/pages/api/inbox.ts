import { bind, bindBody } from '../../api/endpoint.ts';
import { inbox, setRecipients } from '../../api/rules/rules.ts';

export const GET = bind(inbox);
export const PUT = bindBody(setRecipients);
