import { bind, bindBody } from '../../api/endpoint.ts';
import { readJourneys, writeJourneys } from '../../api/journeys/journeys.ts';

export const GET = bind(readJourneys);
export const PUT = bindBody(writeJourneys);
