import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { deriveEvent, EVENT_KINDS, isOwnEvent } from './kinds.ts';

describe('an event of ours', () => {
  it('is derived into the row of its table, what is left out as its schema says', () => {
    expect(
      deriveEvent('lantern.change', { 'lantern.change.kind': 'deployment', 'lantern.change.title': 'berths 4.7.0' }),
    ).toEqual({
      table: 'change',
      row: { kind: 'deployment', phase: 'done', title: 'berths 4.7.0', version: '', actor: '', detail: {} },
    });
  });

  it('is told of in words when something is wrong with it', () => {
    expect(deriveEvent('lantern.change', { 'lantern.change.kind': 'whim' })).toEqual({
      wrong: expect.stringMatching(/^lantern\.change: lantern\.change\.kind: .*; lantern\.change\.title: /),
    });
    expect(deriveEvent('lantern.song', {})).toEqual({ wrong: 'lantern.song: no such event is known here' });
  });

  it('of an object has no more labels and details than a page can hold, and none of the values of a secret', () => {
    const object = { 'lantern.object.kind': 'secret', 'lantern.object.id': 'a', 'lantern.object.name': 'a' };
    const wrong = (more: object) => deriveEvent('lantern.inventory', { ...object, ...more });
    expect(wrong({ 'lantern.object.detail': { text: 'x'.repeat(20_001) } })).toEqual({
      wrong: expect.stringContaining('20000 characters'),
    });
    const labels = Object.fromEntries(Array.from({ length: 81 }, (_, at) => [`l${at}`, 'x']));
    expect(wrong({ 'lantern.object.labels': labels })).toEqual({ wrong: expect.stringContaining('80 labels') });
    expect(wrong({ 'lantern.object.specification': 'data:\n  key: aGlkZGVu\n' })).toMatchObject({
      row: { specification: expect.stringMatching(/^data:\n {2}key: \(not kept\)\s*$/) },
    });
  });

  it('is known by its name alone', () => expect([isOwnEvent('lantern.visit'), isOwnEvent('visit')]).toEqual([true, false]));

  it('has an example in its document that it takes', () => {
    for (const kind of EVENT_KINDS) expect(kind.read(exampleOf(kind))).toHaveProperty('row');
  });
});

/** What the schema of an attribute says of it, as JSON schema does. */
interface Described {
  readonly type?: string;
  readonly enum?: readonly string[];
  readonly default?: unknown;
  readonly description?: string;
  readonly anyOf?: readonly Described[];
}

type Kind = (typeof EVENT_KINDS)[number];

function schemaOf({ attributes }: Kind) {
  return z.toJSONSchema(z.object(attributes), { io: 'input', unrepresentable: 'any' }) as {
    properties: Record<string, Described>;
    required?: string[];
  };
}

function exampleOf(kind: Kind): Record<string, string | number | boolean> {
  const { properties, required = [] } = schemaOf(kind);
  const example = (name: string) => {
    const { type, enum: values } = properties[name];
    if (type === 'boolean') return true;
    return name.endsWith('_ms') ? 1 : (values?.[0] ?? 'x');
  };
  return Object.fromEntries(required.map((name) => [name, example(name)]));
}

function typeOf(name: string, { type, enum: values, default: usual }: Described): string {
  if (values) return values.map((value) => `\`${value}\``).join(' ');
  if (['lantern.db.sessions', 'lantern.processes', 'lantern.check.steps'].includes(name)) return 'list of maps';
  if (type) return type === 'array' ? 'list of texts' : type === 'string' ? 'text' : type === 'object' ? 'map' : type;
  if (typeof usual === 'number' || name.endsWith('_ms') || usual === null) return 'number';
  return 'map';
}

/** docs/events.md, written from the schemas. */
function document(): string {
  const kinds = EVENT_KINDS.map((kind) => {
    const { properties, required = [] } = schemaOf(kind);
    const lines = Object.entries(properties).map(
      ([name, it]) => `| \`${name}\` | ${typeOf(name, it)} | ${required.includes(name) ? 'yes' : ''} | ${it.description ?? ''} |`,
    );
    return `## ${kind.name}\n\n${kind.about}\n\n| attribute | type | needed | what |\n|---|---|---|---|\n${lines.join('\n')}\n`;
  });
  return `# Events

What OpenTelemetry has no signal for comes as an event: a log record sent to \`/v1/logs\` with one of these names in \`eventName\`, its
content in the record's attributes, its time in the record's time. Where OpenTelemetry's semantic conventions have a name for something,
the attribute has it. Attributes that are not listed are stored and not looked at; but of \`lantern.db.second\` only what is listed is
stored, and of its resource the service's name.

An event that is not as it should be is stored as a log record all the same; the answer to the request says what is wrong with it, with
nothing refused. This page is written from the schemas in \`src/formats/events/kinds.ts\` by their test.

${kinds.join('\n')}`;
}

it('docs/events.md says what the schemas say', async () => {
  await expect(document()).toMatchFileSnapshot('../../../docs/events.md');
});
