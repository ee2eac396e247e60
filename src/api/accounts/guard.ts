import { withEncodedMarks } from '../../core/scope/pathMarks.ts';
import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { identify } from '../../server/accounts/identify.ts';
import { currentRequest, whoAsks } from '../../server/requests/requestContext.ts';
import { explain } from '../endpoint.ts';

/** What is read without an account: the way in, a frozen view by its link, and what sees to itself. */
const OPEN = /^\/(sign-in|join\/[\w-]{1,200}|casebook\/read\/[^/]+|v1\/.+|v1development\/.+|api\/.+)\/?$/;

interface Asked {
  readonly request: Request;
  readonly url: URL;
  readonly locals: App.Locals;
  redirect(path: string, status?: 302): Response;
}

/** Lets a request through once it is known how to find out who sends it; a page is opened by those alone who are signed in. */
export async function guard({ request, url, locals, redirect }: Asked, next: () => Promise<Response>): Promise<Response> {
  const context = currentRequest();
  // The process that handed the page on has let it through.
  if (context?.handed) {
    locals.who = context.handed.who;
    return next();
  }
  if (!context || !areAccountsOn()) {
    if (context) context.identify = () => identify(request.headers, () => {});
    return next();
  }
  let cookies: readonly string[] = [];
  let found: ReturnType<typeof identify> | undefined;
  context.identify = () => {
    found ??= identify(request.headers, (given) => {
      cookies = given;
    });
    return found;
  };
  if (!OPEN.test(url.pathname))
    try {
      const who = await whoAsks(context);
      if (!who) return redirect(`/sign-in?to=${encodeURIComponent(withEncodedMarks(url.pathname) + url.search)}`, 302);
      locals.who = { name: who.name, role: who.role, environments: who.environments };
    } catch (error) {
      const { status, message } = explain(error);
      return new Response(`${message}\n`, { status, headers: { 'content-type': 'text/plain; charset=utf-8' } });
    }
  const response = await next();
  for (const cookie of cookies) response.headers.append('set-cookie', cookie);
  return response;
}
