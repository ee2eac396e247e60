/** Attributes of a sample: what was asked of the service, and the thread, as OpenTelemetry's conventions name it. */
export const OPERATION_ATTRIBUTE = 'lantern.operation';
export const THREAD_ATTRIBUTE = 'thread.name';
