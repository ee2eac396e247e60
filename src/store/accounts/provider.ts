import { z } from 'zod';
import { readSetting, writeSetting } from '../settings/settings.ts';

const NAME = 'sign-in provider';

/** An OpenID Connect provider that people sign in with. */
export const providerSchema = z.object({
  /** As the button on the sign-in page calls it. */
  name: z.string().trim().min(1).max(60),
  issuer: z.url({ protocol: /^https?$/ }).max(300),
  clientId: z.string().min(1).max(300),
  clientSecret: z.string().min(1).max(500),
  /** Whether everybody whom it lets in comes in here, as a reader; else those alone who were invited. */
  admitsAll: z.boolean(),
});

export type Provider = z.output<typeof providerSchema>;

export async function readProvider(): Promise<Provider | undefined> {
  const parsed = providerSchema.safeParse(await readSetting(NAME));
  return parsed.success ? parsed.data : undefined;
}

export async function writeProvider(provider: Provider | null): Promise<void> {
  await writeSetting(NAME, provider);
}
