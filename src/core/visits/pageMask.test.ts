import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { maskPath, maskStack, maskText, maskUrl, takeMasked } from './pageMask.ts';

describe('what is personal is taken out of', () => {
  it.each([
    ['Call odo.brandt@marram.example now', 'Call ••• now'],
    ['card 4111 1111 1111 1111', 'card •••'],
    ['+44 7700 900123', '•••'],
    ['IBAN GB33BUKB20201555555555', 'IBAN •••'],
    ['token a9f3c71e5b2d4480b1c6e7d8f9a0b1c2', 'token •••'],
    ['Deck 4, 14:20, 216 crowns', 'Deck 4, 14:20, 216 crowns'],
    ['hold places', 'hold places'],
  ])('a text: %s', (text, masked) => expect(maskText(text)).toBe(masked));

  it.each([
    ['/bookings/OR5A2C91/pay?card=4111', '/bookings/{id}/pay'],
    ['/users/4711#top', '/users/{id}'],
    ['/u/odo%40marram.example', '/u/{id}'],
    ['/d/550e8400-e29b-41d4-a716-446655440000', '/d/{id}'],
    ['/sailings/choose', '/sailings/choose'],
    ['/v2/routes', '/v2/routes'],
    ['/100%', '/100%'],
  ])('a path: %s', (path, masked) => expect(maskPath(path)).toBe(masked));

  it('an address: query and fragment go, the file stays', () => {
    expect(maskUrl('https://tags.example/a/tag.js?user=7&mail=x@y.example#z')).toBe('https://tags.example/a/tag.js');
    expect(maskUrl('data:text/plain,secret')).toBe('data:');
    expect(maskUrl('nonsense')).toBe('');
  });

  it('a stack: addresses lose what names one thing, positions stay', () => {
    expect(
      maskStack('Error: no mail to odo@marram.example\n  at onHold (https://x.example/u/4711/app.3f2a1b9c.js?t=s:88:12)'),
    ).toBe('Error: no mail to •••\nat onHold (https://x.example/u/{id}/app.3f2a1b9c.js:88:12)');
  });
});

it('no mail address is left in any text, and what was masked is counted', () => {
  takeMasked();
  // Of the signs that an address may have, those that are seen in use.
  const mails = fc.emailAddress({ size: 'small' }).filter((it) => /^[\w.+-]+@[\w-]+(\.[\w-]+)+$/.test(it));
  fc.assert(
    fc.property(mails, fc.string({ maxLength: 20 }), (mail, around) => {
      expect(maskText(`${around} ${mail} `)).not.toContain(mail);
    }),
  );
  expect(takeMasked()).toBeGreaterThan(0);
  expect(takeMasked()).toBe(0);
});

it('a long text takes no long time: it is cut before it is looked through', () => {
  expect(maskText('1 '.repeat(1_000_000)).length).toBeLessThanOrEqual(200);
  expect(maskText('a@'.repeat(500_000)).length).toBeLessThanOrEqual(200);
});
