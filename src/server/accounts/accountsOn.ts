import { timingSafeEqual } from 'node:crypto';

/** Whether people have accounts here. Without them, who reaches the application, on loopback alone, may do everything. */
export function areAccountsOn(): boolean {
  return process.env.DUSK_ACCOUNTS === '1';
}

/** The token by which what was started with the application comes in: the demo, and what samples its own database. New with each start. */
export function isOwnToken(token: string): boolean {
  const own = Buffer.from(process.env.DUSK_OWN_TOKEN ?? '');
  const given = Buffer.from(token);
  return own.length >= 32 && own.length === given.length && timingSafeEqual(own, given);
}

/** The token that a request carries as `Authorization: Bearer …`; empty without one. */
export function bearerToken(headers: Headers): string {
  return /^bearer +(\S{1,200}) *$/i.exec(headers.get('authorization') ?? '')?.[1] ?? '';
}
