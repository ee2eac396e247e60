interface BarsProps {
  readonly values: readonly (number | null)[];
  /** The value as high as the picture. */
  readonly most: number;
  readonly width: number;
  readonly height: number;
  readonly colour: string;
  readonly opacity?: number;
}

/** Values side by side as bars, in an SVG; one that is not 0 is seen. */
export function Bars({ values, most, width, height, colour, opacity }: BarsProps) {
  const wide = width / values.length;
  return (
    <path
      d={values
        .map((value, at) => {
          const tall = value ? Math.max(1, Math.min(1, value / most) * height) : 0;
          return tall > 0
            ? `M${(at * wide).toFixed(2)} ${height}v${-tall.toFixed(2)}h${Math.max(0.5, wide - 0.7).toFixed(2)}V${height}z`
            : '';
        })
        .join('')}
      fill={colour}
      opacity={opacity}
    />
  );
}
