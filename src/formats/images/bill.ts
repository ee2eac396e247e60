import { z } from 'zod';

/*
 * Bills of materials and assessments of weaknesses: CycloneDX JSON (bills, and VEX in it), SPDX JSON 2.x (bills), OpenVEX JSON (assessments).
 */

/** A part of an image. */
export interface ImagePart {
  readonly name: string;
  readonly version: string;
  /** Its package URL; empty when not said. */
  readonly purl: string;
}

export type WeaknessState = 'affected' | 'not affected' | 'fixed' | 'looked into';

/** A known weakness of a part. */
export interface ImageWeakness {
  readonly id: string;
  /** Name and version of the part. */
  readonly part: string;
  readonly severity: 'critical' | 'high' | 'medium' | 'low' | 'unknown';
  /** From 0 to 10; 0 when not said. */
  readonly score: number;
  readonly what: string;
  /** What is advised. */
  readonly advice: string;
  readonly state: WeaknessState;
  /** Why it does no harm. */
  readonly why: string;
}

/** What a file says of images. */
export interface Bill {
  /** The image that the bill is of; empty in an assessment of several. */
  readonly image: string;
  readonly parts: readonly ImagePart[];
  readonly weaknesses: readonly ImageWeakness[];
  /** What an assessment says of weaknesses in images, by the package URL or name of either. */
  readonly statements: readonly Statement[];
}

export interface Statement {
  readonly weakness: string;
  /** Images or parts that are meant; empty for all. */
  readonly products: readonly string[];
  readonly state: WeaknessState;
  readonly why: string;
}

/** Parts and weaknesses of one bill that are read. */
const MOST = 20_000;
const text = z.coerce.string().max(4_000).default('');
const SEVERITIES = ['critical', 'high', 'medium', 'low'] as const;

const cyclone = z.object({
  bomFormat: z.literal('CycloneDX'),
  metadata: z.object({ component: z.object({ name: text, version: text }).optional() }).optional(),
  components: z
    .array(z.object({ 'bom-ref': text, name: text, version: text, purl: text }))
    .max(MOST)
    .default([]),
  vulnerabilities: z
    .array(
      z.object({
        id: text,
        description: text,
        recommendation: text,
        ratings: z.array(z.object({ severity: text, score: z.coerce.number().default(0) })).default([]),
        affects: z.array(z.object({ ref: text })).default([]),
        analysis: z.object({ state: text, justification: text, detail: text }).optional(),
      }),
    )
    .max(MOST)
    .default([]),
});

const spdx = z.object({
  spdxVersion: z.string().regex(/^SPDX-2/),
  name: text,
  packages: z
    .array(
      z.object({
        SPDXID: text,
        name: text,
        versionInfo: text,
        primaryPackagePurpose: text,
        externalRefs: z.array(z.object({ referenceType: text, referenceLocator: text })).default([]),
      }),
    )
    .max(MOST)
    .default([]),
});

const vexName = z
  .union([z.string(), z.object({ '@id': text, name: text })])
  .transform((it) => (typeof it === 'string' ? it : it.name || it['@id']));
const openVex = z.object({
  '@context': z.string().regex(/openvex/),
  statements: z
    .array(
      z.object({
        vulnerability: vexName,
        products: z.array(vexName).default([]),
        status: text,
        justification: text,
        impact_statement: text,
      }),
    )
    .max(MOST),
});

/** A file is none of the kinds that are read. */
export class NoBill extends Error {}

/** Reads a bill of materials or an assessment. @throws NoBill in words when it is none */
export function readBill(json: string): Bill {
  let value: unknown;
  try {
    value = JSON.parse(json);
  } catch (error) {
    throw new NoBill(`no JSON: ${(error as Error).message}`);
  }
  const kind = value as { bomFormat?: unknown; spdxVersion?: unknown; '@context'?: unknown } | null;
  if (kind?.bomFormat === 'CycloneDX') return fromCyclone(checked(cyclone, value, 'CycloneDX'));
  if (typeof kind?.spdxVersion === 'string') return fromSpdx(checked(spdx, value, 'SPDX'));
  if (typeof kind?.['@context'] === 'string' && /openvex/.test(kind['@context']))
    return fromOpenVex(checked(openVex, value, 'OpenVEX'));
  throw new NoBill('neither CycloneDX, SPDX 2 nor OpenVEX: none of bomFormat, spdxVersion, @context says so');
}

function checked<Schema extends z.ZodType>(schema: Schema, value: unknown, name: string): z.output<Schema> {
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  const [issue] = parsed.error.issues;
  throw new NoBill(`${name}: ${issue.path.join('.')}: ${issue.message}`);
}

function fromCyclone({ metadata, components, vulnerabilities }: z.output<typeof cyclone>): Bill {
  const nameOf = new Map(components.map((it) => [it['bom-ref'] || it.purl, `${it.name} ${it.version}`.trim()]));
  const of = metadata?.component;
  const image = of ? withVersion(of.name, of.version) : '';
  const weaknesses = vulnerabilities.flatMap(({ id, description, recommendation, ratings, affects, analysis }) => {
    const rating = [...ratings].sort((a, b) => b.score - a.score)[0];
    return (affects.length > 0 ? affects : [{ ref: '' }]).map(
      ({ ref }): ImageWeakness => ({
        id,
        part: nameOf.get(ref) ?? ref,
        severity: severityOf(rating?.severity ?? '', rating?.score ?? 0),
        score: rating?.score ?? 0,
        what: description,
        advice: recommendation,
        state: stateOf(analysis?.state ?? ''),
        why: analysis?.detail || analysis?.justification || '',
      }),
    );
  });
  return {
    image,
    parts: components.map(({ name, version, purl }) => ({ name, version, purl })),
    weaknesses: image === '' ? [] : weaknesses,
    // Without an image of its own it is an assessment.
    statements:
      image === '' ? weaknesses.map(({ id, part, state, why }) => ({ weakness: id, products: [part], state, why })) : [],
  };
}

function withVersion(name: string, version: string): string {
  return version === '' || name.endsWith(`:${version}`) ? name : `${name}:${version}`;
}

function fromSpdx({ name, packages }: z.output<typeof spdx>): Bill {
  const own = packages.find(({ primaryPackagePurpose }) => primaryPackagePurpose === 'CONTAINER');
  return {
    image: own ? withVersion(own.name, own.versionInfo) : name,
    parts: packages
      .filter((it) => it !== own)
      .map((it) => ({
        name: it.name,
        version: it.versionInfo,
        purl: it.externalRefs.find(({ referenceType }) => referenceType === 'purl')?.referenceLocator ?? '',
      })),
    weaknesses: [],
    statements: [],
  };
}

function fromOpenVex({ statements }: z.output<typeof openVex>): Bill {
  return {
    image: '',
    parts: [],
    weaknesses: [],
    statements: statements.map(({ vulnerability, products, status, justification, impact_statement: impact }) => ({
      weakness: vulnerability,
      products,
      state: stateOf(status),
      why: impact || justification,
    })),
  };
}

function severityOf(said: string, score: number): ImageWeakness['severity'] {
  const known = SEVERITIES.find((it) => it === said.toLowerCase());
  if (known) return known;
  if (score <= 0) return 'unknown';
  return score >= 9 ? 'critical' : score >= 7 ? 'high' : score >= 4 ? 'medium' : 'low';
}

function stateOf(said: string): WeaknessState {
  switch (said.toLowerCase()) {
    case 'not_affected':
    case 'false_positive':
      return 'not affected';
    case 'resolved':
    case 'resolved_with_pedigree':
    case 'fixed':
      return 'fixed';
    case 'in_triage':
    case 'under_investigation':
      return 'looked into';
    default:
      return 'affected';
  }
}
