import { describe, expect, it } from 'vitest';
import { CLASS_WORDS } from './waitClasses.ts';
import { aboutEvent } from './waitEvents.ts';

describe('a wait event', () => {
  it('explains itself', () => expect(aboutEvent('transactionid', 'Lock')).toMatch(/^Waiting for another transaction to end/));

  it('of which nothing is known is explained by its class, and none by the CPU', () => {
    expect(aboutEvent('SomethingNew', 'LWLock')).toBe(CLASS_WORDS.LWLock.about);
    expect(aboutEvent('')).toBe(CLASS_WORDS.CPU.about);
    expect(aboutEvent('SomethingNew')).toBe('');
  });
});
