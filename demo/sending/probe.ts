import { randomUUID } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import { z } from 'zod';
import { tokenHeader } from '../../src/formats/otlp/wire/tokenHeader.ts';
import { reportEnded, reportLook } from '../telemetry/inFlight.ts';
import type { World } from '../world/world.ts';

const answer = z.object({
  commands: z.array(
    z.object({ id: z.string(), ask: z.string(), service: z.string(), instance: z.string(), traceId: z.string() }),
  ),
});

/** How long it is waited after a question that did not get through. */
const AGAIN_MS = 3_000;

interface ProbeOptions {
  /** The application's address. */
  readonly to: string;
  readonly world: World;
  /** Sends what was reported. */
  readonly flush: () => void;
}

/** Speaks for all processes of the company as their probes would: asks what is to be done, and answers from the simulation. */
export async function standInProbe({ to, world, flush }: ProbeOptions): Promise<never> {
  const probe = `osier-reach-${randomUUID()}`;
  const address = new URL('/v1/probes', to);
  for (;;) {
    const instances = [...world.instances.values()].flat().map(({ service, id, version, form }) => ({
      service,
      instance: id,
      version,
      language: form.language,
      environment: 'reach-live',
    }));
    try {
      const response = await fetch(address, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...tokenHeader() },
        body: JSON.stringify({ probe, instances, can: ['look', 'cpu', 'wall', 'allocation'] }),
      });
      if (!response.ok) throw new Error(`answered ${response.status}`);
      const { commands } = answer.parse(await response.json());
      for (const command of commands) doIt(world, command);
      if (commands.length > 0) flush();
    } catch {
      await sleep(AGAIN_MS);
    }
  }
}

function doIt(world: World, { id, ask, service, instance, traceId }: z.output<typeof answer>['commands'][number]): void {
  if (ask !== 'look') {
    // The simulated profiler is always on: what it has seen up to now is sent.
    world.profiler.flushNow(world.simulation.now);
    return;
  }
  const running = [...world.underWay].filter(
    (it) => it.instance.service === service && it.instance.id === instance && (traceId === '' || it.traceId === traceId),
  );
  for (const it of running) reportLook(world, it, id);
  if (running.length === 0 && traceId !== '') reportEnded(world, traceId, instance, id);
}
