import { SIGNALS } from '../formats/otlp/wire/messages.ts';

/** A response with an error in words. */
export const error = (description: string) => ({
  description,
  content: { 'application/json': { schema: { type: 'object', properties: { error: { type: 'string' } }, required: ['error'] } } },
});

export const EXPORT = {
  summary: 'All stored data of a signal in a window, as OTLP JSON lines.',
  parameters: [
    { name: 'signal', in: 'path', required: true, schema: { type: 'string', enum: SIGNALS } },
    { name: 'from', in: 'query', required: false, schema: { type: 'string' } },
    { name: 'to', in: 'query', required: false, schema: { type: 'string' } },
  ],
  responses: {
    200: { description: 'An export request a line.', content: { 'application/x-ndjson': {} } },
    400: error('The question cannot be understood.'),
  },
};

export const DOWNLOAD = {
  summary: 'A trace, or one span of it, as the OTLP JSON it came as.',
  parameters: [
    { name: 'traceId', in: 'path', required: true, schema: { type: 'string' } },
    { name: 'spanId', in: 'query', required: false, schema: { type: 'string' } },
  ],
  responses: {
    200: { description: 'An export request.', content: { 'application/json': {} } },
    400: error('The question cannot be understood.'),
    404: error('It is not stored.'),
  },
};

export const PROFILE_FILE = {
  summary: 'The lit profile of a service as a file: pprof, folded stacks or .cpuprofile.',
  parameters: [
    ...['service', 'from', 'to', 'format'].map((name) => ({
      name,
      in: 'query',
      required: true,
      schema: name === 'format' ? { type: 'string', enum: ['pprof', 'folded', 'cpuprofile'] } : { type: 'string' },
    })),
    ...['type', 'version', 'instance', 'operation'].map((name) => ({
      name,
      in: 'query',
      required: false,
      schema: { type: 'string' },
    })),
  ],
  responses: {
    200: { description: 'The file, to be saved under its name.' },
    400: error('The question cannot be understood.'),
    404: error('Nothing was sampled.'),
  },
};
