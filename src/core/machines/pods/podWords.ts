import { PATTERN_WORDS, type Pattern } from './podPatterns.ts';

interface SaidPod {
  readonly name: string;
  readonly killed: number;
  readonly restarts: number;
  readonly ready: boolean;
  readonly patterns: readonly Pattern[];
}

interface SaidPods {
  readonly total: number;
  readonly patterns: readonly { readonly pattern: Pattern; readonly pods: number; readonly names: readonly string[] }[];
  readonly pods: readonly SaidPod[];
}

/** What the page says of the pods in one sentence. */
export function podsSentence({ total, patterns, pods }: SaidPods): string {
  if (total === 0) return 'No pod is known';
  const killed = pods.filter((it) => it.killed > 0);
  if (killed.length > 0) {
    const times = killed.reduce((sum, it) => sum + it.killed, 0);
    return `${namesOf(killed.map((it) => it.name))} ${killed.length === 1 ? 'was' : 'were'} killed at the memory limit, ${times} ${times === 1 ? 'time' : 'times'} in this window`;
  }
  const [first] = patterns.filter((it) => it.pods > 0).sort((a, b) => b.pods - a.pods);
  if (first) return `${namesOf(first.names, first.pods)}: ${PATTERN_WORDS[first.pattern].toLowerCase()}`;
  return `All ${total} pods are ready, and none shows a pattern of trouble`;
}

function namesOf(names: readonly string[], of = names.length): string {
  const shown = names.slice(0, 3);
  const more = of - shown.length;
  if (more > 0) return `${shown.join(', ')} and ${more} more`;
  return shown.length < 2 ? (shown[0] ?? '') : `${shown.slice(0, -1).join(', ')} and ${shown.at(-1)}`;
}
