import { CLASS_WORDS, type WaitClass } from './waitClasses.ts';

/** What the wait events of PostgreSQL count, what makes them high, and what to look at next. Names are the server's own. */
const ABOUT: Readonly<Record<string, string>> = {
  transactionid:
    'Waiting for another transaction to end, since it has changed the same row. Transactions held open make it high; see who blocks whom.',
  tuple:
    'Waiting in line for a row that somebody else already waits for. Many sessions want one row; see who blocks whom and whether they must.',
  relation:
    'Waiting for a lock on a whole table. Changes of the schema, LOCK and long reads before them raise it; see who holds the table.',
  extend: 'Waiting to add pages to a table or index. Many sessions insert into one table at once; look at the inserts behind it.',
  advisory:
    'Waiting for a lock that programs take by a number of their own. The program holds it too long; look at what it does meanwhile.',
  virtualxid:
    'Waiting for a running transaction to end, as CREATE INDEX CONCURRENTLY does. Long transactions raise it; look at the oldest.',
  DataFileRead:
    'Reading a block of a table or index that is not in memory. Scans of much data and too small a cache raise it; look at blocks read by statement.',
  DataFileWrite:
    'Writing a changed block out to make room. Too small a cache or checkpoints too close together raise it; look at the checkpoints.',
  DataFileExtend: 'Adding blocks to a file. Inserts and new indexes raise it; look at how fast the disk writes.',
  DataFileSync:
    'Waiting until written blocks are on the disk. Checkpoints raise it; look at the disk and at how often checkpoints come.',
  BufFileRead:
    'Reading a temporary file back. Sorts and hashes that do not fit into work_mem raise it; look at temporary blocks by statement.',
  BufFileWrite:
    'Writing a temporary file. Sorts and hashes that do not fit into work_mem raise it; look at temporary blocks by statement.',
  WALWrite:
    'Writing the log of changes. Many or large changes raise it; look at the statements that change rows, and at the disk.',
  WALSync:
    'Waiting until the log of changes is on the disk, at each commit. Many small commits raise it; look at commits a second.',
  WALInsert:
    'Waiting for a place in the memory of the log of changes. Many sessions change rows at once; look at what they change.',
  BufferContent:
    'Waiting to read or change a page that another session works on. A few pages that all use raise it, such as the end of an index.',
  BufferMapping:
    'Waiting to find or place a block in the cache. Many blocks go in and out of a cache that is too small; look at blocks read.',
  LockManager:
    'Waiting for the table of locks itself. Statements over many partitions or indexes at once raise it; look at how many each touches.',
  ProcArray:
    'Waiting for the list of running transactions. Very many sessions that begin and end raise it; look at how many are open.',
  ClientRead:
    'Waiting for the program to send the next statement. Inside a transaction it keeps its locks; look at what the program does between.',
  ClientWrite:
    'Waiting for the program to take the answer. Large answers and slow readers raise it; look at rows a call, and at the network.',
  SyncRep: 'Waiting for a replica to confirm a commit. A slow replica or network raises it; look at the replication lag.',
  ParallelFinish: 'Waiting for parallel workers to end. Uneven work among them raises it; look at the plan.',
  MessageQueueReceive:
    'Waiting for rows from parallel workers. It is part of every parallel plan; look at the plan when it is most of the load.',
  PgSleep: 'Sleeping because a statement asked for it. It costs nothing; look at which program does.',
  VacuumDelay: 'A vacuum pauses so as not to stand in the way. It costs nothing; it makes a vacuum slow, not the others.',
  BufferPin: 'A vacuum or cleanup waits for a page that a cursor holds. Cursors left open raise it; look at long transactions.',
};

/** What a wait event says, in two sentences; that of its class where nothing more is known. */
export function aboutEvent(waitEvent: string, waitClass = ''): string {
  if (waitEvent === '') return CLASS_WORDS.CPU.about;
  return ABOUT[waitEvent] ?? CLASS_WORDS[waitClass as WaitClass]?.about ?? '';
}
