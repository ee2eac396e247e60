import { sql } from 'drizzle-orm';
import { bigint, customType, integer } from 'drizzle-orm/pg-core';

/** Bytes in the table, lower-case hex in the program. */
export const hexBytes = customType<{ data: string; driverData: Buffer }>({
  dataType: () => 'bytea',
  toDriver: (hex) => Buffer.from(hex, 'hex'),
  fromDriver: (bytes) => bytes.toString('hex'),
});

export const bytes = customType<{ data: Buffer }>({ dataType: () => 'bytea' });

export const epochNanos = (name: string) => bigint(name, { mode: 'bigint' });
export const count = (name: string) => bigint(name, { mode: 'number' });

/** Days since 1970-01-01 in UTC, by which tables are parted; 0 for what a clock out of range has sent. */
export const day = () => integer('day').notNull();

/**
 * The last day (since 1970-01-01, UTC) on which records came that rest on the row; marked by the first of each process and day. It may go once
 * all that came on that day has gone.
 */
export const seen = () => integer('seen').notNull().default(sql`floor(extract(epoch from now()) / 86400)::integer`);
