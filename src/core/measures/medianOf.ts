/**
 * The median of numbers, as the mean of the middle two of an even count; NaN of none. It sorts what it is given: for the innermost loops,
 * where a copy for each would take longer than the rest.
 */
export function medianOf(values: Float64Array): number {
  values.sort();
  const middle = (values.length - 1) / 2;
  const below = values[Math.floor(middle)];
  return Number.isInteger(middle) ? below : below + (values[Math.ceil(middle)] - below) / 2;
}
