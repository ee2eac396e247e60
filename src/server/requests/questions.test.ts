import { describe, expect, it } from 'vitest';
import { forgetQuestion, noteQuestion, questionName, questionProgress } from './questions.ts';

describe('a question', () => {
  it('may be asked about by a name that its asker made up, if it is one that cannot be anything else', () => {
    const name = '0123456789abcdef01234567';
    expect(questionName(name)).toBe(name);
    expect(questionName('8f14e45f-ceea-467f-ab9e-0f2f2b1d6e3a')).toBeDefined();
    for (const no of [undefined, '', 'abc', 'g'.repeat(24), 'a'.repeat(41), 'abcdef01\r\nx: y', '__proto__', 'ABCDEF0123'])
      expect(questionName(no)).toBeUndefined();
  });

  it('is as far as was last noted, and unknown before and when it is over', () => {
    const name = 'aaaaaaaaaaaaaaaa';
    expect(questionProgress(name)).toBeUndefined();
    noteQuestion(name, 120);
    noteQuestion(name, 640);
    expect(questionProgress(name)).toBe(640);
    forgetQuestion(name);
    expect(questionProgress(name)).toBeUndefined();
  });

  it('without a name leaves nothing behind, and those of many are forgotten, the oldest first', () => {
    noteQuestion(undefined, 5);
    forgetQuestion(undefined);
    const named = (at: number) => at.toString(16).padStart(8, '0');
    for (let at = 0; at < 1_500; at++) noteQuestion(named(at), at);
    expect(questionProgress(named(0))).toBeUndefined();
    expect(questionProgress(named(499))).toBeUndefined();
    expect(questionProgress(named(500))).toBe(500);
    expect(questionProgress(named(1_499))).toBe(1_499);
  });
});
