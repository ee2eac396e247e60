import { encodeStatus, encodeTracesAnswer, type OtlpEncoding, STATUS_CODE } from '../../formats/otlp/answers.ts';
import { MalformedRequest } from '../../formats/otlp/rawSpan.ts';
import { acceptTraces } from '../../intake/acceptTraces.ts';
import { RefusedBody, readBody } from '../../intake/requestBody.ts';
import { intakeSettings } from '../../intake/settings.ts';
import { isStoreAway } from '../../store/connection.ts';

const settings = intakeSettings();
let underWay = 0;

/** OTLP/HTTP trace export: keeps the spans, then answers as the standard says, in the encoding of the request. */
export async function receiveTraces(request: Request): Promise<Response> {
  const encoding = encodingOf(request);
  if (!encoding) {
    const type = request.headers.get('content-type') ?? 'none';
    return status(
      'application/json',
      415,
      STATUS_CODE.invalidArgument,
      `content type "${type}" is not known here; send application/x-protobuf or application/json`,
    );
  }
  if (underWay >= settings.requestsAtOnce) return comeAgain(encoding, 'too many requests are under way');
  underWay++;
  try {
    const { rejected, message } = await acceptTraces(await readBody(request, settings), encoding);
    return answer(encoding, 200, encodeTracesAnswer(encoding, rejected > 0 ? { rejected, message } : null));
  } catch (error) {
    return failure(encoding, error);
  } finally {
    underWay--;
  }
}

function encodingOf(request: Request): OtlpEncoding | undefined {
  const type = request.headers.get('content-type')?.split(';')[0].trim().toLowerCase();
  return type === 'application/x-protobuf' || type === 'application/json' ? type : undefined;
}

function failure(encoding: OtlpEncoding, error: unknown): Response {
  if (error instanceof RefusedBody) {
    const code = error.status === 413 ? STATUS_CODE.resourceExhausted : STATUS_CODE.invalidArgument;
    return status(encoding, error.status, code, error.message);
  }
  if (error instanceof MalformedRequest) return status(encoding, 400, STATUS_CODE.invalidArgument, error.message);
  if (isStoreAway(error)) return comeAgain(encoding, 'the store cannot be reached now');
  console.error(error);
  return status(encoding, 500, STATUS_CODE.internal, 'the spans could not be kept; the log of the application says why');
}

function comeAgain(encoding: OtlpEncoding, message: string): Response {
  return status(encoding, 503, STATUS_CODE.unavailable, `${message}; send the same again`, { 'retry-after': '2' });
}

function status(
  encoding: OtlpEncoding,
  http: number,
  code: number,
  message: string,
  headers: Record<string, string> = {},
): Response {
  return answer(encoding, http, encodeStatus(encoding, code, message), headers);
}

function answer(encoding: OtlpEncoding, http: number, body: Uint8Array, headers: Record<string, string> = {}): Response {
  return new Response(body as BodyInit, { status: http, headers: { 'content-type': encoding, ...headers } });
}
