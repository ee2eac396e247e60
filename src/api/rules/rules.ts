import { z } from 'zod';
import { firings, RULE_MEASURES, type Rule, type RuleReference } from '../../core/incidents/rules.ts';
import { journeysOf } from '../../core/journeys/journey.ts';
import { SERVER } from '../../core/trace/span.ts';
import { allOperations } from '../../store/dictionaries/dictionaries.ts';
import { recentDeliveries } from '../../store/incidents/deliveries.ts';
import {
  type Recipients,
  readRecipients,
  recipientsSchema,
  sentNotifications,
  writeRecipients,
} from '../../store/incidents/notifications.ts';
import { readRules, ruleSchema, writeRules } from '../../store/incidents/rules.ts';
import { storedTime } from '../../store/rollups/requestSeries.ts';
import { usualTrafficOf } from '../../store/rollups/usualTrafficOf.ts';
import { MinuteRollup } from '../../store/rollups/watched/minuteRollup.ts';
import { namedJourneys } from '../../store/settings/journeys.ts';
import { ApiError, endpoint } from '../endpoint.ts';

const rules = z.array(ruleSchema).max(200);
const answer = z.object({ rules, journeys: z.array(z.string()) });

export type RuleList = z.output<typeof answer>;
export type RuleTrial = z.output<typeof tryRule.answer>;
export type Inbox = z.output<typeof inbox.answer>;

async function described(): Promise<RuleList> {
  const [kept, journeys] = await Promise.all([readRules(), journeyNames()]);
  return { rules: kept.map((it) => ({ ...it })), journeys };
}

async function journeyNames(): Promise<string[]> {
  const operations = await allOperations();
  const entries = operations.filter((it) => it.kind === SERVER).map((it) => it.name);
  return journeysOf(await namedJourneys(), [...new Set(entries)]).map((it) => it.name);
}

/** A trial looks back so far at most. */
const MOST_MINUTES = 7 * 1440;

export const listRules = endpoint({
  path: '/api/rules',
  least: 'reader',
  summary: "Rules of one's own, by which incidents begin, and the journeys they can be about.",
  query: z.strictObject({}),
  answer,
  run: described,
});

export const setRules = endpoint({
  method: 'PUT',
  path: '/api/rules',
  least: 'administrator',
  summary: 'Replaces the rules, from now on.',
  query: z.strictObject({ rules }),
  answer,
  run: async ({ rules }) => {
    if (new Set(rules.map((it) => it.id)).size < rules.length) throw new ApiError(400, 'rules: two have the same id');
    await writeRules(rules);
    return described();
  },
});

export const tryRule = endpoint({
  method: 'POST',
  path: '/api/rules/trial',
  least: 'reader',
  summary: 'How often a rule would have fired over the stored data, at most the last seven days.',
  runs: 'analysis',
  query: z.strictObject({
    journey: z.string(),
    measure: z.enum(RULE_MEASURES),
    bound: z.number().min(0),
    minutes: z.int().min(1).max(360),
  }),
  answer: z.object({
    from: z.number(),
    to: z.number(),
    firings: z.array(z.object({ from: z.number(), to: z.number() })),
    words: z.string().meta({ description: 'Why it cannot be tried; empty when it can.' }),
  }),
  run: async (asked) => {
    const [kept, operations, named] = await Promise.all([storedTime(), allOperations(), namedJourneys()]);
    if (!kept) return { from: 0, to: 0, firings: [], words: 'Nothing stored yet.' };
    const to = Number(kept.to / 60_000_000_000n);
    const from = Math.max(Number(kept.from / 60_000_000_000n), to - MOST_MINUTES);
    const range = { from: from * 60_000, to: (to + 1) * 60_000 };
    const journey = journeysOf(named, [asked.journey]).find((it) => it.name === asked.journey)!;
    if (asked.measure === 'burn' && !journey.objective)
      return { ...range, firings: [], words: `${journey.name} has no objective to burn.` };
    const ids = operations.filter((it) => journey.entries.includes(it.name)).map((it) => it.id);
    if (ids.length === 0) return { ...range, firings: [], words: `No request of ${journey.name} was seen.` };
    const book = new MinuteRollup(ids);
    await book.refresh(from, to);
    const isOfTraffic = asked.measure === 'drop' || asked.measure === 'rise';
    const usualCalls = isOfTraffic ? await usualTrafficOf(ids, from, to) : undefined;
    if (usualCalls && !isKnownAnywhere(usualCalls, asked.minutes, from, to)) return { ...range, firings: [], words: UNUSUAL };
    const rule: Rule = { id: 'trial', name: 'trial', on: true, takes: 'nothing', ...asked };
    return {
      ...range,
      firings: firings(book.entrySeries(ids, from, to), rule, { objective: journey.objective, usualCalls }).map((it) => ({
        from: it.firstMinute * 60_000,
        to: (it.lastMinute + 1) * 60_000,
      })),
      words: '',
    };
  },
});

const UNUSUAL =
  'What is usual at an hour is not known yet: that takes a whole day before, with at least ten requests in so many minutes.';
const A_QUARTER = 15;

/** Whether what is usual is known at any time of a stretch of minutes. */
function isKnownAnywhere(usual: NonNullable<RuleReference['usualCalls']>, minutes: number, from: number, to: number): boolean {
  for (let minute = to; minute >= from; minute -= A_QUARTER) if (usual(minute, minutes) !== null) return true;
  return false;
}

const shownRecipients = z.object({
  mail: z.string(),
  webhook: z
    .string()
    .meta({ description: 'Where it is called: the host alone, since the rest of an address may be secret; empty for none.' }),
  hasSecret: z.boolean().meta({ description: 'Whether calls are signed.' }),
});

/** Where notifications go, without what is secret of it. */
function shown({ mail, webhook, webhookSecret }: Recipients): z.output<typeof shownRecipients> {
  return { mail, webhook: webhook === '' ? '' : new URL(webhook).origin, hasSecret: webhookSecret !== '' };
}

export const inbox = endpoint({
  path: '/api/inbox',
  least: 'reader',
  summary: 'Notifications that were sent, the latest first, and their recipients.',
  query: z.strictObject({}),
  answer: z.object({
    recipients: shownRecipients,
    deliveries: z
      .array(
        z.object({
          id: z.int(),
          incident: z.int(),
          attempts: z.array(z.object({ at: z.string(), outcome: z.string() })),
          next: z.string().nullable().meta({ description: 'When it is tried again; null when it got through, or was given up.' }),
        }),
      )
      .meta({ description: 'Calls of the webhook, the latest first; an outcome is empty when it got through.' }),
    sent: z.array(
      z.object({
        id: z.int(),
        at: z.string(),
        channel: z.string(),
        recipient: z.string(),
        subject: z.string(),
        body: z.string(),
        link: z.string(),
      }),
    ),
  }),
  run: async () => {
    const [recipients, sent, deliveries] = await Promise.all([readRecipients(), sentNotifications(200), recentDeliveries(50)]);
    return {
      recipients: shown(recipients),
      deliveries: deliveries.map(({ id, incidentId, attempts, ended, nextAt }) => ({
        id,
        incident: incidentId,
        attempts: attempts.map((it) => ({ ...it })),
        next: ended ? null : nextAt.toISOString(),
      })),
      sent: sent.map(({ id, at, channel, recipient, subject, body, link }) => ({
        id,
        at: at.toISOString(),
        channel,
        recipient,
        subject,
        body,
        link,
      })),
    };
  },
});

export const setRecipients = endpoint({
  method: 'PUT',
  path: '/api/inbox',
  least: 'administrator',
  summary: 'Says where notifications go: an address of a webhook, a mail address; empty for none. What is not given stays.',
  query: z.strictObject({
    mail: recipientsSchema.shape.mail.optional(),
    webhook: recipientsSchema.shape.webhook.optional(),
    webhookSecret: z.string().max(500).optional(),
  }),
  answer: shownRecipients,
  run: async (given) => {
    const next = { ...(await readRecipients()), ...given };
    await writeRecipients(next);
    return shown(next);
  },
});
