import { z } from 'zod';
import packageJson from '../../package.json' with { type: 'json' };
import type { Endpoint } from './endpoint.ts';
import { error } from './openapiParts.ts';
import { ENDPOINTS, RAW_ENDPOINTS } from './registry.ts';

const otlpBody = {
  content: {
    'application/x-protobuf': { schema: { type: 'string', format: 'binary' } },
    'application/json': { schema: { type: 'object' } },
  },
};

const DOORS = [
  ['/v1/traces', 'trace'],
  ['/v1/logs', 'log'],
  ['/v1/metrics', 'metric'],
  ['/v1development/profiles', 'profile'],
] as const;

function door(what: string): object {
  return {
    summary: `OTLP/HTTP ${what} export, protobuf or JSON, gzip or plain. What is acknowledged has been committed.`,
    requestBody: { required: true, ...otlpBody },
    responses: {
      200: { description: 'The export response; partial_success says what was refused and why.', ...otlpBody },
      400: { description: 'Status: the body cannot be read.', ...otlpBody },
      413: { description: 'Status: the body is over a limit.', ...otlpBody },
      415: { description: 'Status: content type or encoding is not known.', ...otlpBody },
      503: {
        description: 'Status: database unavailable or intake overloaded; retry unchanged after Retry-After.',
        ...otlpBody,
      },
    },
  };
}

/** The description of the interface, OpenAPI 3.1, made from the schemas that the endpoints check with. */
export function openApi(): object {
  const paths: Record<string, Record<string, object>> = {};
  const add = (path: string, method: string, operation: object) => {
    paths[path] = { ...paths[path], [method.toLowerCase()]: operation };
  };
  for (const it of ENDPOINTS) add(it.path, it.method ?? 'GET', (it.method ?? 'GET') === 'GET' ? describe(it) : describeBody(it));
  for (const { path, method, description } of RAW_ENDPOINTS) add(path, method, description);
  for (const [path, what] of DOORS) add(path, 'POST', door(what));
  return { openapi: '3.1.0', info: { title: 'Dusk Lantern', version: packageJson.version }, paths };
}

function describeBody({ summary, query, answer }: Endpoint): object {
  return {
    summary,
    requestBody: { required: true, content: { 'application/json': { schema: z.toJSONSchema(query, { io: 'input' }) } } },
    responses: {
      200: {
        description: 'The answer.',
        content: { 'application/json': { schema: z.toJSONSchema(answer, { unrepresentable: 'any' }) } },
      },
      400: error('The question cannot be understood.'),
      503: error('The database cannot be reached, or too much is asked at once.'),
    },
  };
}

function describe({ path, summary, query, answer }: Endpoint): object {
  const inPath = new Set([...path.matchAll(/\{(\w+)\}/g)].map((match) => match[1]));
  const { properties = {}, required = [] } = z.toJSONSchema(query, { io: 'input' }) as {
    properties?: Record<string, { description?: string }>;
    required?: string[];
  };
  return {
    summary,
    parameters: Object.entries(properties).map(([name, { description, ...schema }]) => ({
      name,
      in: inPath.has(name) ? 'path' : 'query',
      required: inPath.has(name) || required.includes(name),
      ...(description ? { description } : {}),
      schema,
    })),
    responses: {
      200: {
        description: 'The answer.',
        content: { 'application/json': { schema: z.toJSONSchema(answer, { unrepresentable: 'any' }) } },
      },
      400: error('The question cannot be understood.'),
      ...(inPath.size > 0 ? { 404: error('It is not stored.') } : {}),
      503: error('The database cannot be reached, or too much is asked at once.'),
    },
  };
}
