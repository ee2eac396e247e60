/** Limits of the door, each from the environment or its default. */
export interface IntakeSettings {
  /** Bytes of a request body as it comes over the wire. */
  readonly bodyBytes: number;
  /** Bytes of a request body after decompression. */
  readonly unpackedBytes: number;
  /** Requests worked on at a time; more are told to come again. */
  readonly requestsAtOnce: number;
}

const MIB = 1024 * 1024;

/** @throws Error naming the variable that is not a positive whole number */
export function intakeSettings(environment: NodeJS.ProcessEnv = process.env): IntakeSettings {
  const positive = (name: string, usual: number) => {
    const text = environment[name];
    if (text === undefined || text === '') return usual;
    const value = Number(text);
    if (!Number.isSafeInteger(value) || value <= 0) throw new Error(`${name} is "${text}", not a positive whole number`);
    return value;
  };
  return {
    bodyBytes: positive('DUSK_BODY_BYTES', 8 * MIB),
    unpackedBytes: positive('DUSK_UNPACKED_BYTES', 64 * MIB),
    requestsAtOnce: positive('DUSK_REQUESTS_AT_ONCE', 16),
  };
}
