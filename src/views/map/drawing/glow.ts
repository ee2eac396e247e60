/** The lit edge of a plate that suffers is as thick as its share of the trouble: pixels. */
export function glowWidth(suffers: number): number {
  return 2 + 6 * suffers;
}
