declare namespace App {
  /** What the server hands on with each request. */
  interface Locals {
    /** The request as it came, with a body that nobody has wrapped. */
    readonly incoming: import('node:http').IncomingMessage;
    /** Path and query of the page that is asked for; absent for what is no page, and where it is drawn. */
    readonly page?: string;
    /** For whom the page is drawn: those who open pages are given turns by it. */
    readonly owner?: string;
    /** Who opened the page; absent where there are no accounts. */
    who?: import('./core/accounts/role.ts').Roles & { readonly name: string };
  }
}
