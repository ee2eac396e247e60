import type { BlockList } from 'node:net';
import { dueDeliveries, noteAttempt } from '../../store/incidents/deliveries.ts';
import { readRecipients } from '../../store/incidents/notifications.ts';
import { errorText } from '../requests/errorText.ts';
import { callWebhook } from './callWebhook.ts';
import { rangesOf } from './reachable.ts';

const ROUND_MS = 10_000;
const MOST_AT_ONCE = 20;
/** After an attempt that failed it is waited so long, each time longer; then it is given up. */
const PAUSES_MS = [10_000, 60_000, 300_000, 1_800_000, 7_200_000];

/** Calls the webhook for what is in line, until stopped. */
export function keepDelivering(): () => void {
  const allowed = rangesOf((process.env.DUSK_WEBHOOK_ALLOW ?? '').split(',').filter(Boolean));
  let isBusy = false;
  const timer = setInterval(async () => {
    if (isBusy) return;
    isBusy = true;
    await deliverDue(allowed).catch((error) => console.error(`webhook: ${errorText(error)}; tried again`));
    isBusy = false;
  }, ROUND_MS);
  return () => clearInterval(timer);
}

/** Makes the calls that are due. Where no address is set any more, they are given up. */
export async function deliverDue(allowed: BlockList, now: () => Date = () => new Date()): Promise<void> {
  const due = await dueDeliveries(now(), MOST_AT_ONCE);
  if (due.length === 0) return;
  const { webhook, webhookSecret: secret } = await readRecipients();
  for (const it of due) {
    const at = now();
    const outcome = webhook === '' ? 'no webhook is set any more' : await callWebhook(webhook, it.body, { secret, allowed });
    const pause = outcome === '' || webhook === '' ? undefined : PAUSES_MS[it.attempts.length];
    await noteAttempt(it, outcome, at, pause === undefined ? undefined : new Date(at.getTime() + pause));
  }
}
