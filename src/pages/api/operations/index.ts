import { bind } from '../../../api/endpoint.ts';
import { operations } from '../../../api/operations/list.ts';

export const GET = bind(operations);
