import { expect, test } from '@playwright/test';
import { reckon } from '../../web/src/shared/reckon';

test('a number is typed as it is, reckoned, or as a change of the one that is there', () => {
  const means: [string, number | undefined][] = [
    ['12', 12],
    ['-3.5', -3.5],
    ['1,5', 1.5],
    [' 1920 / 2 ', 960],
    ['320-4', 316],
    ['+4', 104],
    ['*1.1', 110],
    ['/2', 50],
    ['10+2*3', 16],
    ['8/2/2', 2],
    ['5*-2', -10],
    ['', undefined],
    ['abc', undefined],
    ['1/0', undefined],
    ['1++', undefined],
    ['2 px', undefined],
  ];
  for (const [text, number] of means) {
    if (number === undefined) expect(reckon(text, 100), text).toBeUndefined();
    else expect(reckon(text, 100), text).toBeCloseTo(number, 9);
  }
  expect(reckon('-4', 100, false)).toBe(96);
  expect(reckon('+1', 1e-9)).toBeCloseTo(1, 6);
});
