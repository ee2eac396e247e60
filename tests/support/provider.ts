import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import Provider from 'oidc-provider';

/** Somebody whom the stand-in knows. */
export interface Known {
  readonly sub: string;
  readonly email: string;
  readonly name: string;
  /** Whether the provider has seen that the address is theirs; so by default. */
  readonly isVerified?: boolean;
}

/** A small OpenID Connect provider on loopback that lets in whoever it is told to, without asking. */
export interface StandInProvider {
  readonly issuer: string;
  readonly clientId: string;
  readonly clientSecret: string;
  /** Who comes in next. */
  next: Known;
  readonly stop: () => Promise<void>;
}

/** @param redirect where the application says that people are sent back to */
export async function startProvider(redirect: string): Promise<StandInProvider> {
  const server: Server = createServer();
  await new Promise<void>((listening) => server.listen(0, '127.0.0.1', listening));
  const issuer = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const it: StandInProvider = {
    issuer,
    clientId: 'dusk-lantern',
    clientSecret: 'a secret of the stand-in',
    next: { sub: 'nobody', email: 'nobody@osier.example', name: 'Nobody' },
    stop: () =>
      new Promise((stopped) => {
        server.close(() => stopped());
        server.closeAllConnections();
      }),
  };
  const provider = new Provider(issuer, {
    clients: [
      { client_id: it.clientId, client_secret: it.clientSecret, redirect_uris: [redirect], grant_types: ['authorization_code'] },
    ],
    cookies: { keys: ['of the stand-in'] },
    claims: { openid: ['sub'], email: ['email', 'email_verified'], profile: ['name'] },
    conformIdTokenClaims: false,
    features: { devInteractions: { enabled: false } },
    interactions: { url: (_, interaction) => `/let-in/${interaction.uid}` },
    findAccount: (_, sub) => ({
      accountId: sub,
      claims: () => ({ ...it.next, sub, email_verified: it.next.isVerified ?? true }),
    }),
    pkce: { required: () => true },
  });
  server.on('request', async (request, response) => {
    if (!request.url?.startsWith('/let-in/')) {
      provider.callback()(request, response);
      return;
    }
    const { params } = await provider.interactionDetails(request, response);
    const grant = new provider.Grant({ accountId: it.next.sub, clientId: String(params.client_id) });
    grant.addOIDCScope('openid email profile');
    const grantId = await grant.save();
    await provider.interactionFinished(request, response, { login: { accountId: it.next.sub }, consent: { grantId } });
  });
  return it;
}
