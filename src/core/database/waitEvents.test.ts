import { describe, expect, it } from 'vitest';
import { CLASS_WORDS } from './waitClasses.ts';
import { aboutEvent } from './waitEvents.ts';

describe('a wait event', () => {
  it('explains itself', () => expect(aboutEvent('transactionid', 'Lock')).toMatch(/^Waiting for another transaction to end/));

  it('without words of its own has those of its class; no event means the CPU', () => {
    expect(aboutEvent('SomethingNew', 'LWLock')).toBe(CLASS_WORDS.LWLock.about);
    expect(aboutEvent('')).toBe(CLASS_WORDS.CPU.about);
    expect(aboutEvent('SomethingNew')).toBe('');
  });
});
