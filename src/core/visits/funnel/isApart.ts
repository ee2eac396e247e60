/** Standard deviations between those of a group who leave and all others: the group was chosen among many. */
const FAR = 5;

/** Whether a group of visits leaves at a step so much more often than all others that chance does not do it, though it was chosen for that. */
export function isApart(
  group: { readonly reached: number; readonly left: number },
  all: { readonly reached: number; readonly wentOn: number },
): boolean {
  const others = { reached: all.reached - group.reached, left: all.reached - all.wentOn - group.left };
  if (group.reached <= 0 || others.reached <= 0) return false;
  const pooled = (group.left + others.left) / all.reached;
  const spread = Math.sqrt(pooled * (1 - pooled) * (1 / group.reached + 1 / others.reached));
  return spread > 0 && (group.left / group.reached - others.left / others.reached) / spread >= FAR;
}
