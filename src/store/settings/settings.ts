import { eq } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { setting } from '../schema/index.ts';

/** A setting's value as it was written; undefined when it never was. */
export async function readSetting(name: string): Promise<unknown> {
  const [row] = await database().select({ value: setting.value }).from(setting).where(eq(setting.name, name));
  return row?.value;
}

/** @param value null for none: it is read as if it had never been written */
export async function writeSetting(name: string, value: unknown): Promise<void> {
  if (value === null) {
    await database().delete(setting).where(eq(setting.name, name));
    return;
  }
  await database().insert(setting).values({ name, value }).onConflictDoUpdate({ target: setting.name, set: { value } });
}
