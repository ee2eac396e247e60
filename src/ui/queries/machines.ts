import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { MachineHost } from '../../api/machines/host.ts';
import type { MachineHosts } from '../../api/machines/hosts.ts';
import type { MachineImages } from '../../api/machines/images.ts';
import type { MachineLayers } from '../../api/machines/layers.ts';
import type { MachineObject, MachineObjects } from '../../api/machines/object.ts';
import type { MachinePods } from '../../api/machines/pods.ts';
import type { MachineReserved } from '../../api/machines/reserved.ts';
import { comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';
import { refreshOf } from './traces.ts';

type Asked = Readonly<Record<string, string>>;

/** A question about machines: of all requests, since chips narrow requests and not machines, but for the layers that those touch. */
function useMachines<Answer>(name: string, path: string, scope: Scope, asked: Asked, { narrowed = false, enabled = true } = {}) {
  return useQuery({
    queryKey: ['machines', name, path, scope, asked],
    queryFn: ({ signal }) =>
      fetchJson<Answer>(path, { ...comparisonQuery(narrowed ? scope : { ...scope, chips: [] }, Date.now()), ...asked }, signal),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
    staleTime: 15_000,
    enabled,
  });
}

/** @param at epoch milliseconds; undefined for the worst moment */
const atOf = (at: number | undefined): Asked => (at === undefined ? {} : { at: String(at) });

/** Whose layers: of a journey, of a service, or of all. */
export function whoseQuery({
  journey,
  layersOf,
}: {
  readonly journey: string;
  readonly layersOf: string;
}): Record<string, string> {
  return { ...(layersOf && { of: layersOf }), ...(journey && { journey }) };
}

export function useLayers(scope: Scope, whose: Parameters<typeof whoseQuery>[0], at: number | undefined) {
  return useMachines<MachineLayers>(
    'layers',
    '/api/machines/layers',
    scope,
    { ...whoseQuery(whose), ...atOf(at) },
    { narrowed: true },
  );
}

export function useHosts(scope: Scope, at: number | undefined) {
  return useMachines<MachineHosts>('hosts', '/api/machines/hosts', scope, atOf(at));
}

/** @param name empty for none */
export function useHost(scope: Scope, name: string, at: number | undefined) {
  return useMachines<MachineHost>('host', `/api/machines/hosts/${encodeURIComponent(name)}`, scope, atOf(at), {
    enabled: name !== '',
  });
}

export function usePods(scope: Scope, asked: Asked) {
  return useMachines<MachinePods>('pods', '/api/machines/pods', scope, asked);
}

/** @param id empty for none */
export function useObject(scope: Scope, id: string) {
  return useMachines<MachineObject>(
    'object',
    `/api/machines/objects/${encodeURIComponent(id)}`,
    scope,
    {},
    { enabled: id !== '' },
  );
}

/** @param kind empty for none */
export function useObjects(scope: Scope, kind: string) {
  return useMachines<MachineObjects>('objects', '/api/machines/objects', scope, { kind }, { enabled: kind !== '' });
}

export function useReserved(scope: Scope) {
  return useMachines<MachineReserved>('reserved', '/api/machines/reserved', scope, {});
}

export function useImages(scope: Scope) {
  return useMachines<MachineImages>('images', '/api/machines/images', scope, {});
}
