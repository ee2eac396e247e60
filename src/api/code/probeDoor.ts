import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { currentRequest } from '../../server/requests/requestContext.ts';
import { ApiError, type Asked, errorAnswer } from '../endpoint.ts';
import { admitSender } from '../otlp/admitSender.ts';
import { answerApi } from '../routes.ts';

/** What probes report: they are senders, and have a token where that is asked for. */
export async function answerProbe(asked: Omit<Asked, 'parameters'>): Promise<Response> {
  try {
    const context = currentRequest();
    if (areAccountsOn() && context) {
      const admitted = await admitSender('probes', asked.request.headers, Date.now());
      if (!('environment' in admitted)) throw new ApiError(admitted.status, admitted.message);
      context.isAdmitted = true;
      context.sentEnvironment = admitted.environment;
    }
    return await answerApi(asked);
  } catch (error) {
    return errorAnswer(error);
  }
}
