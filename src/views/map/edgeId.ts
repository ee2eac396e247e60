/** By what an edge is known in the picture and in an address. */
export function edgeId({
  from,
  to,
  protocol,
}: {
  readonly from: string;
  readonly to: string;
  readonly protocol: string;
}): string {
  return `${from} → ${to} ${protocol}`;
}
