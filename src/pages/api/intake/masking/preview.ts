import { bindBody } from '../../../../api/endpoint.ts';
import { previewMasking } from '../../../../api/intake/masking.ts';

export const POST = bindBody(previewMasking);
