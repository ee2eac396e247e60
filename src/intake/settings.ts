/** Limits of the door, each from the environment or its default. */
export interface IntakeSettings {
  /** Bytes of a request body as it comes over the wire. */
  readonly bodyBytes: number;
  /** Bytes of a request body after decompression; JSON takes so much more room when it is read that it may have less. */
  readonly unpackedBytes: number;
  readonly jsonBytes: number;
  /** Requests that are held at a time, and their bytes as they came; more are asked to retry. */
  readonly heldRequests: number;
  readonly heldBytes: number;
  /** Memory that all requests being worked on may take together, as estimated from their sizes; the others wait. */
  readonly workBytes: number;
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
    unpackedBytes: positive('DUSK_UNPACKED_BYTES', 32 * MIB),
    jsonBytes: positive('DUSK_JSON_BYTES', 16 * MIB),
    heldRequests: positive('DUSK_HELD_REQUESTS', 512),
    heldBytes: positive('DUSK_HELD_BYTES', 48 * MIB),
    workBytes: positive('DUSK_WORK_BYTES', 80 * MIB),
  };
}
