import fc from 'fast-check';
import MarkdownIt from 'markdown-it';
import { describe, expect, it } from 'vitest';
import { codeBlock, codeSpan } from './markdownText.ts';

const markdown = new MarkdownIt({ html: true });

describe('code within a line', () => {
  it.each(['Solver.fits', 'a `b` c', '``', '`', 'x | y', '<b>', '*a*'])('reads as it was: %s', (text) => {
    const [{ children }] = markdown.parseInline(codeSpan(text), {});
    expect(children?.map(({ type, content }) => [type, content])).toEqual([['code_inline', text]]);
  });

  it('is one piece of code, whatever stands in it', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), (text) => {
        fc.pre(text.trim() !== '');
        const [{ children }] = markdown.parseInline(`before ${codeSpan(text)} after`, {});
        expect(children?.filter(({ type }) => type === 'code_inline')).toHaveLength(1);
        expect(children?.at(-1)?.content).toBe(' after');
      }),
    );
  });
});

describe('a block of code', () => {
  it('may say of which language it is', () => {
    const [fence] = markdown.parse(codeBlock('SELECT 1;\n```\nDROP', 'sql'), {});
    expect([fence.type, fence.info, fence.content]).toEqual(['fence', 'sql', 'SELECT 1;\n```\nDROP\n']);
  });
});
