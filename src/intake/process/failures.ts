/** The thread or process that had a request has ended. Whether the records were kept is not known: the same again finds out. */
export class WorkerLost extends Error {}

/** The store could not be reached where the work is done, or could not work. */
export class DatabaseUnavailable extends Error {}

/** A masking rule takes too long over this: another rule, or a smaller request, would not. */
export class TakesTooLong extends Error {}
