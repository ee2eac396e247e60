import type { RequestSeries } from '../../api/requests/series.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { clockRange } from '../../core/time/clock.ts';
import { useScope } from '../state/scopeState.ts';
import { useZone } from '../state/zone.ts';
import { Emptiness } from './Emptiness.tsx';

/** Nothing in the window: says where there is something, and offers to go there. */
export function NothingHere({ kept, known, now }: { kept: RequestSeries['kept']; known: boolean; now: number }) {
  const { scope, change, href } = useScope();
  const zone = useZone();
  if (!known) return null;
  if (!kept) {
    return (
      <Emptiness
        title="Nothing has been sent yet"
        words="Point an OpenTelemetry SDK or collector at this address. New data appears here."
        actions={[{ label: 'Connect a system', act: () => location.assign(href('/intake/connect')) }]}
      />
    );
  }
  const from = Date.parse(kept.from);
  const to = Date.parse(kept.to) + 1;
  const lit = windowAt(scope.lit, now);
  const isOutside = lit.to < from || lit.from > to;
  const drop = { label: 'Drop the narrowing', act: () => change({ ...scope, chips: [] }) };
  const go = {
    label: 'Light the last hour with data',
    act: () => change({ ...scope, lit: { type: 'fixed' as const, from: Math.max(to - 3_600_000, from), to } }),
  };
  const isNarrowed = scope.chips.some((chip) => chip.on);
  return (
    <Emptiness
      title={isOutside ? 'No data stored for this time' : 'No request here'}
      words={`${isOutside ? '' : 'The lit window, narrowed like this, holds none. '}There is data of ${clockRange(from, to, zone, now)}.`}
      actions={isOutside ? [go] : isNarrowed ? [drop, go] : [go]}
    />
  );
}
