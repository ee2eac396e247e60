/*
 * A machine knows the pods on it by their uid alone; the cluster knows their names. What a machine says of a pod stands under its uid until the
 * inventory of pods tells which one that is.
 */

const PREFIX = 'pod uid ';

/** What stands for a pod of which only the uid is known, as an object's id and as the name of what measures. */
export function podByUid(uid: string): string {
  return PREFIX + uid;
}

/** The uid of a name that stands for a pod of which only that is known; undefined for another. */
export function uidOf(name: string): string | undefined {
  return name.startsWith(PREFIX) ? name.slice(PREFIX.length) : undefined;
}

/** The other id under which things may have happened to an object; none when its uid is not known. */
export function idByUid(detail: { readonly [name: string]: unknown }): string[] {
  return typeof detail.uid === 'string' && detail.uid !== '' ? [podByUid(detail.uid)] : [];
}
