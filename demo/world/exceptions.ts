import { printedStack, stacksOf } from '../company/code/stacks.ts';
import type { ServiceForm } from '../company/services.ts';
import { Failed } from './failed.ts';
import type { Instance } from './instance.ts';

/** What the exceptions of each language are called that tell of the world outside a program. */
const NAMES: Readonly<Record<string, Readonly<Record<ServiceForm['language'], (service: string) => string>>>> = {
  timeout: name('UpstreamTimeoutException', 'ErrUpstreamTimeout', 'UpstreamTimeoutError', 'UpstreamTimeout'),
  unavailable: name('NoInstanceException', 'ErrNoInstance', 'NoInstanceError', 'NoInstance'),
  refused: name('UpstreamRefusedException', 'ErrUpstreamRefused', 'UpstreamRefusedError', 'UpstreamRefused'),
  pool: name('PoolExhaustedException', 'ErrPoolExhausted', 'PoolExhaustedError', 'PoolExhausted'),
  lock: name('LockTimeoutException', 'ErrLockTimeout', 'LockTimeoutError', 'LockTimeout'),
  'circuit open': name('CircuitOpenException', 'ErrCircuitOpen', 'CircuitOpenError', 'CircuitOpen'),
};

function name(java: string, go: string, nodejs: string, python: string) {
  return {
    java: (service: string) => `reach.${service}.${java}`,
    go: (service: string) => `${service}.${go}`,
    nodejs: () => nodejs,
    python: (service: string) => `${service}.errors.${python}`,
  };
}

/** An exception thrown by an instance's program. @param kind one of those above, or the name of a type of its own */
export function exceptionAt(instance: Instance, status: number, kind: string, message: string, step = 'handle'): Failed {
  const { service, form } = instance;
  const type = NAMES[kind]?.[form.language](service) ?? kind;
  const [{ frames }] = stacksOf(instance.running, step);
  return new Failed(status, type, message, printedStack(form.language, type, message, frames));
}
