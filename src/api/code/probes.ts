import { z } from 'zod';
import { ASKS, askProbe, commandsFor, environmentOfProcess, ProbeRefused, probedInstances } from '../../server/probes/probes.ts';
import { currentRequest } from '../../server/requests/requestContext.ts';
import { ApiError, endpoint } from '../endpoint.ts';

export type ConnectedProbes = z.output<typeof connectedProbes.answer>;

/** How long a probe waits for something to do, at most: shorter than what lies between leaves a silent connection open. */
const LONGEST_WAIT_MS = 25_000;
const name = z.string().max(300);

const command = z.object({
  id: z.string(),
  ask: z.enum(ASKS),
  service: z.string(),
  instance: z.string(),
  traceId: z.string(),
  seconds: z.number(),
});

export const probeCommands = endpoint({
  method: 'POST',
  path: '/v1/probes',
  least: 'sender',
  summary:
    'Where probes ask what they are to do: registers the probe and answers as soon as there is something, or with nothing after a while. What it finds it sends as OTLP.',
  query: z.strictObject({
    probe: name.min(8).meta({ description: 'An id that the probe made up when it started.' }),
    instances: z
      .array(
        z.object({
          service: name.min(1),
          instance: name,
          version: name.default(''),
          language: name.default(''),
          environment: name.default(''),
        }),
      )
      .min(1)
      .max(200)
      .meta({ description: 'The processes that it speaks for.' }),
    can: z.array(z.enum(ASKS)).max(ASKS.length).meta({ description: 'What it can be asked for.' }),
    waitMs: z.number().int().min(0).max(LONGEST_WAIT_MS).default(LONGEST_WAIT_MS),
  }),
  answer: z.object({ commands: z.array(command) }),
  run: async ({ waitMs, instances, ...hello }, { signal }) => {
    // What comes by a token is of its environment, whatever it says itself.
    const environment = currentRequest()?.sentEnvironment;
    const speaksFor = instances.map((it) => ({ ...it, environment: environment || it.environment }));
    try {
      return { commands: await commandsFor({ ...hello, instances: speaksFor }, waitMs, signal) };
    } catch (error) {
      if (error instanceof ProbeRefused) throw new ApiError(400, error.message);
      throw error;
    }
  },
});

/** Processes that are listed, the present ones first. */
const MOST_LISTED = 500;

export const connectedProbes = endpoint({
  path: '/api/code/probes',
  least: 'reader',
  summary: 'The processes that probes speak for: those that answer now, and those that were heard of within the last hour.',
  query: z.strictObject({}),
  answer: z.object({
    present: z.int(),
    gone: z.int(),
    processes: z.array(
      z.object({
        service: z.string(),
        instance: z.string(),
        version: z.string(),
        language: z.string(),
        environment: z.string(),
        can: z.array(z.enum(ASKS)),
        seen: z.number().meta({ description: 'When its probe asked last, epoch milliseconds.' }),
        gone: z.boolean(),
      }),
    ),
  }),
  run: async () => {
    const all = probedInstances();
    const gone = all.filter((it) => it.gone).length;
    return {
      present: all.length - gone,
      gone,
      processes: all.slice(0, MOST_LISTED).map((it) => ({ ...it, can: [...it.can] })),
    };
  },
});

export const askForLook = endpoint({
  method: 'POST',
  path: '/api/code/looks',
  least: 'responder',
  environmentOf: ({ service, instance }) => environmentOfProcess(service, instance),
  summary: 'Asks the probe of a process for the stack of a request, or for a profile. What it finds comes as OTLP.',
  query: z.strictObject({
    service: name.min(1),
    instance: name,
    ask: z.enum(ASKS).default('look'),
    traceId: z.string().max(32).default(''),
    seconds: z.number().min(1).max(60).default(10),
  }),
  answer: z.object({
    is: z.enum(['asked', 'no probe', 'cannot', 'busy', 'gone']),
    id: z.string().meta({ description: 'Of the look; empty unless it was asked.' }),
    since: z.number().nullable().meta({ description: 'When a probe that is gone was heard of last, epoch milliseconds.' }),
  }),
  run: async (what) => {
    const asked = askProbe(what);
    return { is: asked.is, id: asked.is === 'asked' ? asked.id : '', since: asked.is === 'gone' ? asked.since : null };
  },
});
