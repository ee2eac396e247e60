import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import type { VisitorSites } from '../../api/visitors/sites.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePreviewMasking, useSetSites, useSites } from '../../ui/queries/sites.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { Copy } from '../../ui/values/Copy.tsx';
import styles from './Sites.module.css';
import { type VisitorsFirst, VisitorsFrame } from './VisitorsFrame.tsx';
import { VISITORS_OPTIONS } from './visitorsOptions.ts';

type Site = VisitorSites['sites'][number];

/** The sites whose pages report visits: keys, origins, bounds, what to put into the pages, and what is masked. */
export function SitesPage({ start, first, address }: { start: IslandStart; first: VisitorsFirst; address: string }) {
  const [options, setOptions] = usePageOptions(first.options, VISITORS_OPTIONS);
  const found = useSites();
  const save = useSetSites();
  const sites = found.data?.sites;
  const [chosenKey, setChosenKey] = useState('');
  const chosen = sites?.find(({ key }) => key === chosenKey) ?? sites?.[0];
  return (
    <VisitorsFrame
      start={start}
      first={first}
      here="/visitors/sites"
      options={options}
      setOptions={(part) => setOptions(part)}
      found={found}
      answer={sites && { apps: [], app: '' }}
      headline={sites ? sitesSentence(sites) : ''}
      empty={false}
      inspectorLabel="What is masked"
      inspector={<Masked />}
    >
      {sites && (
        <div className={styles.page}>
          <table className={styles.table}>
            <thead>
              <tr>
                <th>application</th>
                <th>key, public</th>
                <th>pages of</th>
                <th>environment</th>
                <th>events a minute, a day</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {sites.map((site) => (
                <tr key={site.key} data-chosen={site === chosen}>
                  <td>
                    <button type="button" aria-pressed={site === chosen} onClick={() => setChosenKey(site.key)}>
                      {site.app}
                    </button>
                  </td>
                  <td className="mono">{site.key}</td>
                  <td>{site.origins.join(', ')}</td>
                  <td>{site.environment || '–'}</td>
                  <td className="mono">
                    {formatCount(site.perMinute)}, {formatCount(site.perDay)}
                  </td>
                  <td>
                    <OnlyFor least="administrator">
                      <button
                        type="button"
                        onClick={() => {
                          if (confirm(`Take ${site.app} out? Its key opens nothing any more; what is stored stays.`))
                            save.mutate(sites.filter((it) => it !== site));
                        }}
                      >
                        take out <span className="unseen">{site.app}</span>
                      </button>
                    </OnlyFor>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <OnlyFor least="administrator">
            <NewSite add={(site) => save.mutateAsync([...sites, site])} trouble={save.error} busy={save.isPending} />
          </OnlyFor>
          {chosen && <Include site={chosen} address={address} />}
        </div>
      )}
    </VisitorsFrame>
  );
}

function sitesSentence(sites: readonly Site[]): string {
  if (sites.length === 0) return 'No site reports visits yet';
  return `${sites.length} ${sites.length === 1 ? 'site reports' : 'sites report'} visits`;
}

function NewSite({
  add,
  trouble,
  busy,
}: {
  add: (site: Partial<Site>) => Promise<unknown>;
  trouble: Error | null;
  busy: boolean;
}) {
  const [app, setApp] = useState('');
  const [origins, setOrigins] = useState('');
  const [environment, setEnvironment] = useState('');
  return (
    <form
      className={styles.form}
      onSubmit={(event) => {
        event.preventDefault();
        add({ app, environment, origins: origins.split(/[\s,]+/).filter(Boolean) }).then(
          () => {
            setApp('');
            setOrigins('');
          },
          () => undefined,
        );
      }}
    >
      <label>
        Application
        <input required maxLength={100} value={app} placeholder="quayside-web" onChange={(event) => setApp(event.target.value)} />
      </label>
      <label>
        Its pages come from
        <input
          required
          value={origins}
          placeholder="https://www.osier-reach.example"
          onChange={(event) => setOrigins(event.target.value)}
        />
      </label>
      <label>
        Environment
        <input
          maxLength={100}
          value={environment}
          placeholder="reach-live"
          onChange={(event) => setEnvironment(event.target.value)}
        />
      </label>
      <button type="submit" disabled={busy}>
        Add a site
      </button>
      {trouble && <p role="alert">Not saved: {trouble.message}</p>}
    </form>
  );
}

/** What to put into the pages. */
function Include({ site, address }: { site: Site; address: string }) {
  const tag = `<script src="${address}/visits.js" data-site="${site.key}" data-release="2.31" async></script>`;
  return (
    <section>
      <h2>Into the head of every page of {site.app}</h2>
      <div className={styles.tag}>
        <code>{tag}</code>
        <Copy text={tag} what="the script element" />
      </div>
      <dl className={styles.list}>
        {ATTRIBUTES.map(([name, what]) => (
          <div key={name}>
            <dt className="mono">{name}</dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

const ATTRIBUTES = [
  ['data-release', 'the version of the pages, as deployments name it'],
  ['data-consent="ask"', 'nothing is kept or sent before duskLantern.consent(true); after consent(false) nothing at all'],
  ['data-sample="0.1"', 'a tenth of the visits'],
  ['data-region', 'where the visitor is, if the page knows'],
  ['data-own', 'further hosts that are the company’s own; all others but the page’s site are third parties'],
  ['data-trace', 'further origins that take a traceparent header, so that visits and traces are one'],
  ['data-dusk-mask', 'on an element: its text is never told. data-dusk-name: what it is called instead'],
  ['duskLantern.about({…})', 'facts to tell visits apart by; user("…") a name of no meaning; error(e) an error that was caught'],
] as const;

/** What is left of a text after the page and the door have masked it. */
function Masked() {
  const [text, setText] = useState('Call Odo Brandt, odo.brandt@marram.example, +44 7700 900123');
  const [path, setPath] = useState('/bookings/OR5A2C91/pay?card=4111111111111111');
  const [asked] = useDebouncedValue(text, 250);
  const [askedPath] = useDebouncedValue(path, 250);
  const preview = usePreviewMasking(asked, askedPath);
  return (
    <div className={styles.masked}>
      <h2>What is masked</h2>
      <p className="dim">
        What is typed into a page is never read. Of labels, messages and addresses the page takes out what looks personal before
        it keeps anything; the door does so again, and then by the rules under Masking.
      </p>
      <label>
        A label or message
        <textarea rows={3} value={text} onChange={(event) => setText(event.target.value)} />
      </label>
      {preview.data && (
        <>
          <p>
            the page keeps <b>{preview.data.page.text || 'nothing'}</b>{' '}
            <span className="dim">({preview.data.page.count} masked)</span>
          </p>
          <p>
            the door stores <b>{preview.data.door.text || 'nothing'}</b>{' '}
            <span className="dim">({preview.data.door.count} more)</span>
          </p>
        </>
      )}
      <label>
        An address
        <input value={path} onChange={(event) => setPath(event.target.value)} />
      </label>
      {preview.data && (
        <p>
          is told as <b className="mono">{preview.data.path}</b>
        </p>
      )}
      {preview.error && <p role="alert">{preview.error.message}</p>}
    </div>
  );
}
