import { beforeEach, expect, it, vi } from 'vitest';
import { askProbe, commandsFor, ProbeRefused, probedInstances } from './probes.ts';

const hello = (probe: string, service = 'jetty') => ({
  probe,
  instances: [{ service, instance: probe, version: '1', language: 'nodejs', environment: '' }],
  can: ['look', 'cpu'] as const,
});

beforeEach(() => {
  vi.useFakeTimers({ now: Date.UTC(2030, 0, 1) });
  return () => vi.useRealTimers();
});

it('takes so many probes, in the place of one that is gone but never of one that is there', async () => {
  for (let at = 0; at < 500; at++) await commandsFor(hello(`probe-${at}`), 0);
  await expect(commandsFor(hello('one-more'), 0)).rejects.toThrow(ProbeRefused);
  vi.setSystemTime(Date.now() + 40_000);
  for (let at = 1; at < 500; at++) await commandsFor(hello(`probe-${at}`), 0);
  vi.setSystemTime(Date.now() + 10_000);
  await commandsFor(hello('one-more'), 0);
  expect(probedInstances().some(({ instance }) => instance === 'probe-0')).toBe(false);
  await expect(commandsFor(hello('yet-another'), 0)).rejects.toThrow('500 probes are connected');
  // What is to be done is bounded likewise, and only what a probe can do is asked of it.
  const of = { service: 'jetty', instance: 'one-more', traceId: '', seconds: 1 };
  const asked = Array.from({ length: 60 }, () => askProbe({ ...of, ask: 'cpu' }).is);
  expect([asked.filter((is) => is === 'asked').length, asked.at(-1)]).toEqual([50, 'busy']);
  expect(askProbe({ ...of, ask: 'heap' }).is).toBe('cannot');
});
