import { defineMiddleware } from 'astro:middleware';
import { guard } from './api/accounts/guard.ts';

/** Before every page and endpoint: who asks, and whether pages may be opened. */
export const onRequest = defineMiddleware((context, next) => guard(context, next));
