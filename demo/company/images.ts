import type { ServiceForm } from './services.ts';

/** A part of an image. All of them, and their weaknesses, are invented. */
interface Part {
  readonly name: string;
  readonly version: string;
  readonly in: readonly ServiceForm['language'][];
}

const ALL = ['nodejs', 'go', 'java', 'python'] as const;

const PARTS: readonly Part[] = [
  { name: 'reed-base', version: '12.4', in: ALL },
  { name: 'sedge-tls', version: '3.1.2', in: ['nodejs', 'java', 'python'] },
  { name: 'osier-pack', version: '1.3.0', in: ALL },
  { name: 'tern-http', version: '5.0.1', in: ['nodejs'] },
  { name: 'marram-json', version: '2.14.2', in: ['java'] },
  { name: 'fennick-yaml', version: '1.0.6', in: ['nodejs', 'python'] },
  { name: 'skerry-log', version: '2.17.1', in: ['java'] },
  { name: 'auk-template', version: '4.1.0', in: ['nodejs'] },
  { name: 'saltern-math', version: '0.9.3', in: ['go', 'python'] },
];

/** A known weakness. */
interface Weakness {
  readonly id: string;
  readonly part: string;
  readonly severity: 'critical' | 'high' | 'medium' | 'low';
  readonly score: number;
  readonly fixed: string;
  readonly what: string;
}

const WEAKNESSES: readonly Weakness[] = [
  {
    id: 'OR-2026-0117',
    part: 'sedge-tls',
    severity: 'critical',
    score: 9.8,
    fixed: '3.1.4',
    what: 'a long name in a certificate writes beyond a buffer',
  },
  {
    id: 'OR-2026-0093',
    part: 'fennick-yaml',
    severity: 'high',
    score: 8.1,
    fixed: '1.0.8',
    what: 'a document that refers to itself never ends to be read',
  },
  {
    id: 'OR-2026-0140',
    part: 'skerry-log',
    severity: 'high',
    score: 7.5,
    fixed: '2.17.2',
    what: 'a text to be logged is looked up as a name',
  },
  {
    id: 'OR-2025-0811',
    part: 'osier-pack',
    severity: 'medium',
    score: 5.3,
    fixed: '1.3.1',
    what: 'a packed file with a wrong length is read beyond its end',
  },
  {
    id: 'OR-2026-0044',
    part: 'auk-template',
    severity: 'medium',
    score: 6.1,
    fixed: '4.1.3',
    what: 'a template can read files next to it',
  },
];

/** What was assessed: the weakness does no harm there, and why. */
const ASSESSED: ReadonlyMap<string, string> = new Map([
  ['manifests OR-2026-0140', 'the look-up is switched off'],
  ['passes OR-2026-0044', 'no template comes from outside'],
]);

/** The bill of materials of an image with what is known of its weaknesses, as CycloneDX 1.6 JSON. */
export function billOf(image: string, service: string, version: string, language: ServiceForm['language']): string {
  const parts = PARTS.filter((it) => it.in.includes(language));
  const ref = ({ name, version: of }: Part) => `pkg:generic/${name}@${of}`;
  return JSON.stringify({
    bomFormat: 'CycloneDX',
    specVersion: '1.6',
    metadata: { component: { type: 'container', name: image, version } },
    components: parts.map((it) => ({ type: 'library', 'bom-ref': ref(it), name: it.name, version: it.version, purl: ref(it) })),
    vulnerabilities: WEAKNESSES.flatMap(({ id, part, severity, score, fixed, what }) => {
      const of = parts.find(({ name }) => name === part);
      if (!of) return [];
      const why = ASSESSED.get(`${service} ${id}`);
      return [
        {
          id,
          ratings: [{ severity, score, method: 'CVSSv31' }],
          description: what,
          recommendation: `${part} ${fixed}`,
          affects: [{ ref: ref(of) }],
          ...(why ? { analysis: { state: 'not_affected', justification: 'code_not_reachable', detail: why } } : {}),
        },
      ];
    }),
  });
}
