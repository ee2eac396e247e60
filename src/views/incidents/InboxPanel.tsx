import { useEffect, useState } from 'react';
import type { Inbox } from '../../api/rules/rules.ts';
import { clockTime, dayOf } from '../../core/time/clock.ts';
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
      {inbox.data && <Recipients recipients={inbox.data.recipients} />}
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
  const [webhook, setWebhook] = useState(recipients.webhook);
  useEffect(() => {
    setMail(recipients.mail);
    setWebhook(recipients.webhook);
  }, [recipients.mail, recipients.webhook]);
  const changed = mail !== recipients.mail || webhook !== recipients.webhook;
  return (
    <form
      className={styles.builder}
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate({ mail: mail.trim(), webhook: webhook.trim() });
      }}
    >
      <label>
        Mail to (stored here)
        <input className="mono" value={mail} onChange={(event) => setMail(event.target.value)} />
      </label>
      <label>
        Webhook, called with JSON
        <input className="mono" value={webhook} placeholder="none" onChange={(event) => setWebhook(event.target.value)} />
      </label>
      {save.error && <p role="alert">{save.error.message}</p>}
      {changed && (
        <button type="submit" className={styles.add}>
          Save where it goes
        </button>
      )}
    </form>
  );
}
