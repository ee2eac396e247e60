/** The map that stands at a key of a map of maps; made when there is none. */
export function innerMap<Key, Inner, Value>(map: Map<Key, Map<Inner, Value>>, key: Key): Map<Inner, Value> {
  let found = map.get(key);
  if (!found) {
    found = new Map();
    map.set(key, found);
  }
  return found;
}
