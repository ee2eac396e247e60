import type { Facet, RequestSet } from './requests/requestSet.ts';

/** Attributes that say how a call was made, not what for. */
const OF_THE_CALL =
  /^(db|http|url|server|client|network|messaging|rpc|thread|telemetry|process|os|container|k8s|host|service|cloud|net|peer|code|otel|cache|faas)[._]/;
/** What a service runs on, the most telling first. */
const RUNS_ON = ['service.version', 'cloud.region', 'service.instance.id', 'host.name'];

/**
 * Which of two sets that hold for the same requests says it best: fewer conditions, what was asked for before how it was answered.
 *
 * @param isVaried whether a facet has several values among the requests: the only version of a service says no more than the service does
 */
export function prefer(a: RequestSet, b: RequestSet, isVaried: (facet: Facet) => boolean): number {
  return a.length - b.length || rank(a, isVaried) - rank(b, isVaried) || bounds(a) - bounds(b) || valuesOf(a) - valuesOf(b);
}

function rank(set: RequestSet, isVaried: (facet: Facet) => boolean): number {
  return Math.max(
    ...set.map(({ facet }) => {
      const runsOn = RUNS_ON.indexOf(facet.field);
      if (runsOn >= 0) return runsOn === 0 && isVaried(facet) ? 0 : runsOn + 2;
      return OF_THE_CALL.test(facet.field) ? 1 : 0;
    }),
  );
}

/** A value says more than a bound of something that goes with it. */
function bounds(set: RequestSet): number {
  return set.filter((clause) => !('values' in clause)).length;
}

function valuesOf(set: RequestSet): number {
  return set.reduce((sum, clause) => sum + ('values' in clause ? clause.values.length : 1), 0);
}
