declare namespace App {
  /** What the server hands on with each request. */
  interface Locals {
    /** The request as it came, with a body that nobody has wrapped. */
    readonly incoming: import('node:http').IncomingMessage;
    /** Who opened the page; absent where there are no accounts. */
    who?: import('./core/accounts/role.ts').Roles & { readonly name: string };
  }
}
