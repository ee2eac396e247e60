/** A figure of the application itself. */
export interface OwnMetric {
  /** Lower case with underscores; units and `_total` are added by `type` and `unit`. */
  readonly name: string;
  readonly help: string;
  /** `counter`: only grows while the process lives. */
  readonly type: 'gauge' | 'counter';
  readonly unit: 'bytes' | 'seconds' | '';
  readonly values: readonly { readonly labels: Readonly<Record<string, string>>; readonly value: number }[];
}

/** The media type of the text. */
export const OPEN_METRICS_TYPE = 'application/openmetrics-text; version=1.0.0; charset=utf-8';

/** Figures in the OpenMetrics text format 1.0. */
export function writeOpenMetrics(metrics: readonly OwnMetric[]): string {
  const lines = metrics.flatMap(({ name, help, type, unit, values }) => {
    const family = unit === '' ? name : `${name}_${unit}`;
    return [
      `# TYPE ${family} ${type}`,
      ...(unit === '' ? [] : [`# UNIT ${family} ${unit}`]),
      `# HELP ${family} ${escaped(help)}`,
      ...values.map(({ labels, value }) => `${family}${type === 'counter' ? '_total' : ''}${written(labels)} ${value}`),
    ];
  });
  return [...lines, '# EOF', ''].join('\n');
}

function written(labels: Readonly<Record<string, string>>): string {
  const pairs = Object.entries(labels).map(([name, value]) => `${name}="${escaped(value)}"`);
  return pairs.length === 0 ? '' : `{${pairs.join(',')}}`;
}

function escaped(text: string): string {
  return text.replace(/\\/g, '\\\\').replace(/"/g, '\\"').replace(/\n/g, '\\n');
}
