/** What a thread of intake is given at its start, in memory that is shared. */
export interface ThreadMemory {
  /** The lock that all writers of spans take, see writeLock. */
  readonly writeLock: SharedArrayBuffer;
  /** Where the thread says that it is alive, see pulse. */
  readonly pulse: SharedArrayBuffer;
}
