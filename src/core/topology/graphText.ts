/** What a graph is written down with. */
export interface WrittenGraph {
  readonly nodes: readonly { readonly id: string; readonly name: string; readonly kind: string; readonly label: string }[];
  readonly edges: readonly { readonly from: string; readonly to: string; readonly label: string }[];
}

const DOT_SHAPES: Readonly<Record<string, string>> = {
  database: 'cylinder',
  cache: 'cylinder',
  queue: 'cds',
  visitors: 'ellipse',
};

/** A graph in GraphViz' DOT language. */
export function dotText({ nodes, edges }: WrittenGraph): string {
  const quoted = (text: string) => `"${text.replace(/[\\"]/g, '\\$&').replace(/\n/g, '\\n')}"`;
  return [
    'digraph services {',
    '  rankdir=LR;',
    '  node [shape=box, style=rounded];',
    ...nodes.map(({ id, name, kind, label }) => {
      const shape = DOT_SHAPES[kind];
      return `  ${quoted(id)} [label=${quoted(`${name}\n${label}`)}${shape ? `, shape=${shape}, style=""` : ''}];`;
    }),
    ...edges.map(({ from, to, label }) => `  ${quoted(from)} -> ${quoted(to)} [label=${quoted(label)}];`),
    '}',
    '',
  ].join('\n');
}

/** A graph as a Mermaid flowchart. */
export function mermaidText({ nodes, edges }: WrittenGraph): string {
  const number = new Map(nodes.map(({ id }, at) => [id, `n${at + 1}`]));
  // Entities of its own kind, since a backslash escapes nothing there.
  const quoted = (text: string) => `"${text.replace(/[#"<>|\n]/g, (mark) => `#${mark.charCodeAt(0)};`)}"`;
  const shaped = (kind: string, label: string) => {
    if (kind === 'database' || kind === 'cache') return `[(${label})]`;
    if (kind === 'queue') return `[/${label}/]`;
    return kind === 'visitors' ? `([${label}])` : `[${label}]`;
  };
  return [
    'flowchart LR',
    ...nodes.map(({ id, name, kind, label }) => `  ${number.get(id)}${shaped(kind, quoted(`${name}: ${label}`))}`),
    ...edges.flatMap(({ from, to, label }) => {
      const [a, b] = [number.get(from), number.get(to)];
      return a && b ? [`  ${a} -->|${quoted(label)}| ${b}`] : [];
    }),
    '',
  ].join('\n');
}
