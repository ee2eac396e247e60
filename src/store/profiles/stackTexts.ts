import { createHash } from 'node:crypto';
import { boundedTexts } from '../dictionaries/boundedTexts.ts';
import { stackText } from '../schema/index.ts';

const texts = boundedTexts<{ id: string; text: string }>(stackText, { most: 50_000, longest: 20_000 });

/** The id of a stack: a hash of its text; empty for none. */
export function stackId(text: string): string {
  return text === '' ? '' : createHash('md5').update(text).digest('hex');
}

/** Stores stacks that are not stored yet. */
export async function rememberStacks(stacks: readonly string[]): Promise<void> {
  await texts.remember([...new Set(stacks)].filter((text) => text !== '').map((text) => ({ id: stackId(text), text })));
}

/** Stacks by id. */
export const stackTexts = texts.read;
