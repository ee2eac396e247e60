import { expect, it } from 'vitest';
import { lookAt, simulate } from '../../tests/support/made/machineTroubles.ts';
import { chance } from '../simulation/chance.ts';
import { HOST_FAMILY } from './hostFamily.ts';

const STRETCH = { before: 25, lit: 25, scale: 0.25 };

it.each(HOST_FAMILY.map((member, at) => [member(chance(at), 0.6), at] as const))(
  'a trouble of machines is the lowest that is ill, with who takes it: $cause',
  ({ machine, unfold }, at) => {
    const found = lookAt(simulate(100 + at, unfold, STRETCH));
    expect(found && { layer: found.layer, name: found.name, taker: found.taker }).toEqual({ taker: undefined, ...machine });
  },
);

it('on a quiet stretch nothing below the services is ill', () => {
  expect(lookAt(simulate(7, undefined, STRETCH))).toBeUndefined();
});
