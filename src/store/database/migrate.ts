import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { database } from './connection.ts';

/** Brings the database to the newest schema. @param folder where the migrations lie */
export async function migrateStore(folder: string): Promise<void> {
  await migrate(database(), { migrationsFolder: folder });
}
