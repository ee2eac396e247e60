import { openApi } from '../../api/openapi.ts';

export const GET = () => Response.json(openApi());
