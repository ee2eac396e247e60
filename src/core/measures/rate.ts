/** A rate as it reads best: "9.2/s", "112/s", "0.07/s", "3.1/min", "2/h". @param perSecond */
export function formatRate(perSecond: number): string {
  if (perSecond === 0) return '0/s';
  if (perSecond >= 0.0095) return `${short(perSecond)}/s`;
  return perSecond * 60 >= 0.095 ? `${short(perSecond * 60)}/min` : `${short(perSecond * 3600)}/h`;
}

/** Two digits that count, all of a whole number's. */
function short(value: number): string {
  return value >= 9.95 ? String(Math.round(value)) : String(Number(value.toPrecision(2)));
}
