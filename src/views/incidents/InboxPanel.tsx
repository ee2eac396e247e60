import { useEffect, useState } from 'react';
import type { Inbox } from '../../api/rules/rules.ts';
import { clockTime, dayOf } from '../../core/time/clock.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { useInbox, useSetRecipients } from '../../ui/queries/incidents.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Incidents.module.css';

/** What was sent of incidents, and where it goes. Mail is kept here, as a stand-in for a mail server; a webhook is called. */
export function InboxPanel() {
  const inbox = useInbox();
  const zone = useZone();
  return (
    <section>
      <h2>Sent</h2>
      {inbox.error && <p className="dim">{inbox.error.message}</p>}
      {inbox.data && (
        <ChangedBy least="administrator" words="Where it goes is set by administrators.">
          <Recipients recipients={inbox.data.recipients} />
        </ChangedBy>
      )}
      {inbox.data && <Deliveries deliveries={inbox.data.deliveries} />}
      {inbox.data?.sent.length === 0 && (
        <p className="dim">No notifications sent yet. Incidents that began less than 30 minutes ago send notifications.</p>
      )}
      {inbox.data?.sent.map((it) => (
        <details key={it.id} className={styles.mail}>
          <summary>
            <span className="mono dim">
              {dayOf(Date.parse(it.at), zone)} {clockTime(Date.parse(it.at), zone)}
            </span>{' '}
            {it.channel}: {it.subject}
          </summary>
          <p className="dim">
            {it.channel} to {it.recipient}
          </p>
          <pre>{it.body}</pre>
          <a href={pathOf(it.link)}>Open what it is about</a>
        </details>
      ))}
    </section>
  );
}

/** A link is sent with the address of this application; here the path is enough, whatever it is called from. */
function pathOf(link: string): string {
  const url = new URL(link);
  return url.pathname + url.search;
}

function Recipients({ recipients }: { recipients: Inbox['recipients'] }) {
  const save = useSetRecipients();
  const [mail, setMail] = useState(recipients.mail);
  const [webhook, setWebhook] = useState('');
  const [webhookSecret, setSecret] = useState('');
  useEffect(() => setMail(recipients.mail), [recipients.mail]);
  const changed = mail !== recipients.mail || webhook !== '' || webhookSecret !== '';
  const send = (change: Parameters<typeof save.mutate>[0]) =>
    save.mutate(change, {
      onSuccess: () => {
        setWebhook('');
        setSecret('');
      },
    });
  return (
    <form
      className={styles.builder}
      onSubmit={(event) => {
        event.preventDefault();
        send({
          ...(mail === recipients.mail ? {} : { mail: mail.trim() }),
          ...(webhook === '' ? {} : { webhook: webhook.trim() }),
          ...(webhookSecret === '' ? {} : { webhookSecret }),
        });
      }}
    >
      <label>
        Mail to (stored here)
        <input className="mono" value={mail} onChange={(event) => setMail(event.target.value)} />
      </label>
      <label>
        Webhook, called with JSON{recipients.webhook === '' ? '' : `: now at ${recipients.webhook}`}
        <input
          className="mono"
          value={webhook}
          placeholder={recipients.webhook === '' ? 'none' : 'another address'}
          onChange={(event) => setWebhook(event.target.value)}
        />
      </label>
      <label>
        Secret that calls are signed with{recipients.hasSecret ? ': one is kept' : ''}
        <input
          type="password"
          autoComplete="off"
          className="mono"
          value={webhookSecret}
          placeholder={recipients.hasSecret ? 'another' : 'none'}
          onChange={(event) => setSecret(event.target.value)}
        />
      </label>
      {save.error && <p role="alert">{save.error.message}</p>}
      {changed && (
        <button type="submit" className={styles.add}>
          Save where it goes
        </button>
      )}
      {recipients.webhook !== '' && !changed && (
        <button type="button" className={styles.add} onClick={() => send({ webhook: '', webhookSecret: '' })}>
          Call it no more
        </button>
      )}
    </form>
  );
}

/** Calls of the webhook that have not got through at once. */
function Deliveries({ deliveries }: { deliveries: Inbox['deliveries'] }) {
  const zone = useZone();
  const troubled = deliveries.filter(({ attempts }) => attempts.some(({ outcome }) => outcome !== ''));
  if (troubled.length === 0) return null;
  return (
    <details className={styles.mail}>
      <summary>Calls of the webhook that did not get through at once: {troubled.length}</summary>
      {troubled.map((it) => (
        <div key={it.id}>
          <p>
            Incident {it.incident}:{' '}
            {it.next === null ? ended(it.attempts) : `tried again at ${clockTime(Date.parse(it.next), zone)}`}
          </p>
          <pre>
            {it.attempts.map(({ at, outcome }) => `${clockTime(Date.parse(at), zone)} ${outcome || 'got through'}`).join('\n')}
          </pre>
        </div>
      ))}
    </details>
  );
}

const ended = (attempts: Inbox['deliveries'][number]['attempts']) =>
  attempts.at(-1)?.outcome === '' ? 'got through' : 'given up';
