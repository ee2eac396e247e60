import type { Roles } from '../../core/accounts/role.ts';

/** What the process that draws pages and the one that answers say to each other. */

/** A question of a page that is being drawn, to the process that answers. */
export interface PageQuestion {
  readonly number: number;
  /** Of the page. */
  readonly page: number;
  /** Of the endpoint. */
  readonly key: string;
  readonly query: Record<string, unknown>;
}

/** Its answer, or why there is none. */
export type PageAnswer<Answered> =
  | { readonly answered: Answered }
  | { readonly refused: { readonly status: number; readonly message: string } };

/** From the process that draws. */
export type FromDrawing =
  /** It listens at this socket. */
  | { readonly listening: string }
  /** It comes to other things than what it draws. */
  | { readonly beat: true }
  | { readonly question: PageQuestion };

/** To it. */
export interface ToDrawing {
  readonly number: number;
  readonly answer: PageAnswer<unknown>;
}

/** The header of a request that one process hands to the other, with a `Handed` as JSON, percent-encoded. */
export const HANDED_HEADER = 'lantern-page';

export interface Handed {
  readonly page: number;
  /** Who opens it; absent where there are no accounts. */
  readonly who?: Roles & { readonly name: string };
  /** Where it was opened from: those who open pages are given turns by it. */
  readonly owner: string;
  readonly isSecure: boolean;
}
