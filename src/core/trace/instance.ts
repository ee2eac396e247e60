import { type Attributes, textAttribute } from './span.ts';

/** Which of the instances of a service sent something. Texts are empty where the sender does not tell. */
export interface InstanceOf {
  readonly service: string;
  readonly instance: string;
  readonly version: string;
  readonly host: string;
  readonly namespace: string;
}

/** The instance that a resource describes, by OpenTelemetry's semantic conventions. */
export function instanceOf(resource: Attributes, service: string): InstanceOf {
  const read = (...keys: string[]) => keys.map((key) => textAttribute(resource, key)).find((it) => it !== undefined) ?? '';
  return {
    service,
    instance: read('service.instance.id', 'k8s.pod.name', 'container.id', 'container.name', 'host.name'),
    version: read('service.version'),
    host: read('host.name', 'k8s.node.name'),
    namespace: read('service.namespace', 'k8s.namespace.name'),
  };
}
