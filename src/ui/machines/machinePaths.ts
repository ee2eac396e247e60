/** The pages of machines that stand beside each other. */
export const MACHINE_TABS = [
  ['/machines', 'Layers'],
  ['/machines/hosts', 'Hosts'],
  ['/machines/pods', 'Pods and containers'],
  ['/machines/reserved', 'Reserved and used'],
  ['/machines/images', 'Images'],
] as const;

/** A host or virtual machine. */
export function hostPath(name: string): string {
  return `/machines/hosts/${encodeURIComponent(name)}`;
}

/** The layers of a service. */
export function layersPath(service: string): string {
  return `/machines?${new URLSearchParams({ layersOf: service })}`;
}

/** An object among the pods. @param id as the inventory has it */
export function objectPath(id: string): string {
  return `/machines/pods?${new URLSearchParams({ object: id })}`;
}

/** The pod of an instance: by convention of the inventory, that of its name. */
export function podPath(name: string): string {
  return objectPath(`pod ${name}`);
}
