/** Fields of a secret whose values are not kept. */
const FIELDS = /^(\s*)(data|stringData|binaryData)\s*:\s*(.*)$/;
const HIDDEN = '(not kept)';

/** Whether an object is one whose values nobody but its users should see. */
export function isSecret(kind: string, specification: string): boolean {
  return kind.toLowerCase() === 'secret' || /^kind:\s*["']?secret\b/im.test(specification);
}

/**
 * A specification as YAML without the values of secrets: of an object of kind `secret` only the names of what it holds stay. Of other
 * objects, what was last applied to a secret may be quoted in an annotation; that is left out too.
 */
export function withoutSecretValues(kind: string, specification: string): string {
  if (!isSecret(kind, specification)) return specification;
  const kept: string[] = [];
  /** How deep the fields lie whose values are hidden; -1 outside of them. */
  let hidden = -1;
  let fieldDepth = -1;
  for (const line of specification.split('\n')) {
    const depth = line.length - line.trimStart().length;
    if (line.trim() !== '' && hidden >= 0 && depth <= hidden) {
      hidden = -1;
      fieldDepth = -1;
    }
    if (hidden < 0) {
      const field = FIELDS.exec(line);
      if (field) {
        hidden = depth;
        // What stands in the same line is a value.
        kept.push(field[3].trim() === '' ? line : `${field[1]}${field[2]}: ${HIDDEN}`);
        continue;
      }
      if (/last-applied-configuration/.test(line)) {
        hidden = depth;
        kept.push(`${line.slice(0, line.indexOf(':') + 1)} ${HIDDEN}`);
        continue;
      }
      kept.push(line);
      continue;
    }
    // Names of the first level stay; all below and behind them is a value.
    if (fieldDepth < 0) fieldDepth = depth;
    const name = depth === fieldDepth ? /^(\s*[^\s:#"'|>-][^:]*|\s*"[^"]*"|\s*'[^']*')\s*:/.exec(line) : null;
    if (name) kept.push(`${name[1]}: ${HIDDEN}`);
  }
  return kept.join('\n');
}
