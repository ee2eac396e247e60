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

const caseNumber = { name: 'id', in: 'path', required: true, schema: { type: 'integer' } };

export const HAND_OVER = {
  summary: 'A case as it is handed over: impact, since when, what was seen, evidence, what was ruled out, what is asked, links.',
  parameters: [
    caseNumber,
    { name: 'format', in: 'query', required: false, schema: { type: 'string', enum: ['markdown', 'json', 'words'] } },
    {
      name: 'parts',
      in: 'query',
      required: false,
      schema: { type: 'string' },
      description: 'log,evidence,ruledOut,steps,raw,names',
    },
    {
      name: 'zone',
      in: 'query',
      required: false,
      schema: { type: 'string' },
      description: 'In which times are told; UTC by default.',
    },
  ],
  responses: {
    200: { description: 'The hand-over.', content: { 'text/markdown': {}, 'application/json': {} } },
    400: error('The question cannot be understood.'),
    404: error('There is no such case.'),
  },
};

export const CASE_FILE_DOWNLOAD = {
  summary: 'A case as a file, whole; POST /api/casebook/files reads it.',
  parameters: [caseNumber],
  responses: {
    200: { description: 'The file.', content: { 'application/json': {} } },
    404: error('There is no such case.'),
  },
};

export const PIN_DOWNLOAD = {
  summary: 'The answer that a pin was made from, as it was.',
  parameters: [caseNumber, { name: 'pin', in: 'path', required: true, schema: { type: 'string' } }],
  responses: {
    200: { description: 'The answer.', content: { 'application/json': {} } },
    404: error('There is no such pin, or the answer was too long to be stored.'),
  },
};

export const SCHEMA = {
  summary: 'The JSON schema of the file.',
  parameters: [],
  responses: { 200: { description: 'The schema.', content: { 'application/schema+json': {} } } },
};
