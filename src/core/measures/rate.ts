/** A rate as it reads best: "9.2/s", "112/s", "3.1/min", "2/h". @param perSecond */
export function formatRate(perSecond: number): string {
  if (perSecond === 0) return '0/s';
  const [value, unit] =
    perSecond >= 0.1 ? [perSecond, 's'] : perSecond * 60 >= 0.1 ? [perSecond * 60, 'min'] : [perSecond * 3600, 'h'];
  return `${value >= 9.95 ? Math.round(value) : Number(value.toFixed(1))}/${unit}`;
}
