import { defineMiddleware } from 'astro:middleware';
import { guard } from './api/accounts/guard.ts';
import { sendOwnMetrics } from './api/health/sendOwnMetrics.ts';
import { drawApart } from './api/pages/drawApart.ts';

/** Before every page and endpoint: who asks, and whether pages may be opened; and where they are drawn. */
export const onRequest = defineMiddleware((context, next) => {
  sendOwnMetrics();
  const { request, locals, redirect } = context;
  const { page } = locals;
  if (page === undefined) return guard(context, next);
  // Two slashes at the beginning are a part of the path here, and no host.
  const url = new URL(page.startsWith('/') ? context.url.origin + page : page);
  return guard({ request, url, locals, redirect }, () => drawApart({ request, url, locals }));
});
