/** OpenTelemetry's ranges of severity numbers, the gravest first; `none` is not set. */
export const SEVERITIES = ['fatal', 'error', 'warn', 'info', 'debug', 'trace', 'none'] as const;
export type Severity = (typeof SEVERITIES)[number];

/** The range of a severity number, 0 to 24. */
export function severityOf(number: number): Severity {
  if (number >= 21) return 'fatal';
  if (number >= 17) return 'error';
  if (number >= 13) return 'warn';
  if (number >= 9) return 'info';
  if (number >= 5) return 'debug';
  return number >= 1 ? 'trace' : 'none';
}
