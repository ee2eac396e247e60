import { bind, bindBody } from '../../../../api/endpoint.ts';
import { masking, setMasking } from '../../../../api/intake/masking.ts';

export const GET = bind(masking);
export const PUT = bindBody(setMasking);
