import { defineMiddleware } from 'astro:middleware';
import { guard } from './api/accounts/guard.ts';
import { sendOwnMetrics } from './api/health/sendOwnMetrics.ts';

/** Before every page and endpoint: who asks, and whether pages may be opened. */
export const onRequest = defineMiddleware((context, next) => {
  sendOwnMetrics();
  return guard(context, next);
});
