import { z } from 'zod';
import { type Bill, type ImageWeakness, NoBill, readBill, type Statement } from '../../formats/images/bill.ts';
import { objectsAt, specificationsOf } from '../../store/machines/objects.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type MachineImages = z.output<typeof machineImages.answer>;

/** Images whose bills are read. */
const MOST_IMAGES = 400;
const SEVERITIES = ['critical', 'high', 'medium', 'low', 'unknown'] as const;
const STATES = ['affected', 'not affected', 'fixed', 'looked into'] as const;

const weaknessAnswer = z.object({
  id: z.string(),
  part: z.string(),
  severity: z.enum(SEVERITIES),
  score: z.number(),
  what: z.string(),
  advice: z.string(),
  images: z.array(z.object({ image: z.string(), state: z.enum(STATES), why: z.string(), pods: z.int() })),
  pods: z.int().meta({ description: 'That run an image which it affects.' }),
});

export const machineImages = endpoint({
  path: '/api/machines/images',
  least: 'reader',
  summary:
    'Images that run at the end of the lit window, what they are made of, and their known weaknesses, the most widely used first.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    litWindow: windowAnswer,
    images: z.array(
      z.object({
        image: z.string(),
        pods: z.array(z.string()),
        machines: z.array(z.string()),
        parts: z.int().nullable().meta({ description: 'Null where there is no bill of it.' }),
        fault: z.string().meta({ description: 'What is wrong with its bill; empty for nothing.' }),
        affected: z.record(z.string(), z.int()).meta({ description: 'Weaknesses that affect it, by severity.' }),
        assessed: z.int().meta({ description: 'Weaknesses that do no harm in it.' }),
      }),
    ),
    weaknesses: z.array(weaknessAnswer),
  }),
  run: async (query) => {
    const { lit } = await windowsOf(query);
    const [pods, known, assessments] = await Promise.all([
      objectsAt(lit.to, ['pod']),
      objectsAt(lit.to, ['image']),
      objectsAt(lit.to, ['assessment']),
    ]);
    const running = new Map<string, { pods: string[]; machines: Set<string> }>();
    for (const { name, standsOn, detail } of pods) {
      const image = String(detail.image ?? '');
      if (image === '') continue;
      const at = running.get(image) ?? { pods: [], machines: new Set<string>() };
      running.set(image, at);
      at.pods.push(name);
      if (standsOn) at.machines.add(standsOn);
    }
    const statements = (await Promise.all(assessments.slice(0, MOST_IMAGES).map(({ id }) => readStored(id, lit.to)))).flatMap(
      ({ bill }) => bill?.statements ?? [],
    );
    const named = new Map(known.map((it) => [it.name, it.id]));
    const images = await Promise.all(
      [...running].slice(0, MOST_IMAGES).map(async ([image, at]) => {
        const id = named.get(image);
        const { bill, fault } = id === undefined ? { bill: undefined, fault: '' } : await readStored(id, lit.to);
        const weaknesses = (bill?.weaknesses ?? []).map((it) => assessed(it, image, statements));
        return { image, at, bill, fault, weaknesses };
      }),
    );
    return {
      litWindow: describeWindow(lit),
      images: images
        .map(({ image, at, bill, fault, weaknesses }) => ({
          image,
          pods: at.pods,
          machines: [...at.machines].sort(),
          parts: bill ? bill.parts.length : null,
          fault,
          affected: Object.fromEntries(
            SEVERITIES.map((severity) => [severity, weaknesses.filter((it) => it.severity === severity && isOpen(it)).length]),
          ),
          assessed: weaknesses.filter((it) => !isOpen(it)).length,
        }))
        .sort((a, b) => b.pods.length - a.pods.length || (a.image < b.image ? -1 : 1)),
      weaknesses: byWeakness(images),
    };
  },
});

async function readStored(id: string, moment: bigint): Promise<{ bill?: Bill; fault: string }> {
  const [latest] = await specificationsOf(id, moment);
  if (!latest) return { fault: '' };
  try {
    return { bill: readBill(latest.specification), fault: '' };
  } catch (error) {
    if (error instanceof NoBill) return { fault: error.message.slice(0, 300) };
    throw error;
  }
}

/** A weakness as it was assessed for an image, by its bill or by a statement beside it. */
function assessed(it: ImageWeakness, image: string, statements: readonly Statement[]): ImageWeakness {
  const said = statements.findLast(
    ({ weakness, products }) =>
      weakness === it.id &&
      (products.length === 0 || products.some((product) => product === image || product === it.part || product.includes(image))),
  );
  return said ? { ...it, state: said.state, why: said.why } : it;
}

function isOpen({ state }: Pick<ImageWeakness, 'state'>): boolean {
  return state === 'affected' || state === 'looked into';
}

function byWeakness(
  images: readonly { image: string; at: { pods: string[] }; weaknesses: readonly ImageWeakness[] }[],
): z.input<typeof weaknessAnswer>[] {
  const found = new Map<string, z.input<typeof weaknessAnswer>>();
  for (const { image, at, weaknesses } of images)
    for (const it of weaknesses) {
      const { id, part, severity, score, what, advice } = it;
      const known = found.get(`${id}\0${part}`) ?? { id, part, severity, score, what, advice, images: [], pods: 0 };
      found.set(`${id}\0${part}`, known);
      known.images.push({ image, state: it.state, why: it.why, pods: at.pods.length });
      if (isOpen(it)) known.pods += at.pods.length;
    }
  return [...found.values()].sort(
    (a, b) =>
      b.pods - a.pods ||
      SEVERITIES.indexOf(a.severity) - SEVERITIES.indexOf(b.severity) ||
      b.score - a.score ||
      (a.id < b.id ? -1 : 1),
  );
}
