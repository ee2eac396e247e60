import { PHASES, type Phase } from '../../../core/visits/loadPhases.ts';

/** The phases of a load side by side, in an SVG. @param x0, scale where milliseconds lie */
export function PhaseBar({
  phases,
  scale,
  y,
  height,
  dim = false,
}: {
  phases: Readonly<Record<Phase, number>>;
  scale: (ms: number) => number;
  y: number;
  height: number;
  dim?: boolean;
}) {
  let at = 0;
  return (
    <g opacity={dim ? 0.7 : 1}>
      {PHASES.map((phase) => {
        const from = at;
        at += phases[phase];
        const width = scale(at) - scale(from);
        return width > 0.3 ? (
          <rect key={phase} x={scale(from)} y={y} width={Math.max(0.5, width - 0.6)} height={height} fill={`var(--p-${phase})`} />
        ) : null;
      })}
    </g>
  );
}
