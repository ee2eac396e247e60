import type { VisitorApps } from '../../api/visitors/apps.ts';
import { withinRange } from '../../core/time/clock.ts';
import { glanceOf } from '../../core/visits/words.ts';

/** What the visitors of an application live through, in few words. */
export interface VisitorGlance extends ReturnType<typeof glanceOf> {
  readonly app: string;
  readonly crashed: number;
}

/** The applications at a glance; of a long window that was worse in a part of it, about that part. */
export function visitorGlances({ apps, litWindow }: VisitorApps, zone: string): VisitorGlance[] {
  return apps.map(({ app, lit, before, worst }) => ({
    app,
    crashed: lit.crashed,
    ...(worst
      ? glanceOf(worst, before, withinRange(worst.from, worst.to, zone, Date.parse(litWindow.to)))
      : glanceOf(lit, before)),
  }));
}
