import { type FormEvent, useState } from 'react';
import type { PeopleList } from '../../api/accounts/people.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { EnvironmentRoles as EnvironmentRolesByName, Role } from '../../core/accounts/role.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useAccountChange, usePeople } from '../../ui/queries/accounts.ts';
import { useZone } from '../../ui/state/zone.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';
import { AccountTabs } from './AccountTabs.tsx';
import { EnvironmentRoles } from './EnvironmentRoles.tsx';
import { FormField } from './FormField.tsx';
import { momentOr } from './moments.ts';
import { NotShown } from './NotShown.tsx';
import { Once } from './Once.tsx';
import { RoleChoice } from './RoleChoice.tsx';

export interface PeopleFirst {
  readonly people?: PeopleList;
  readonly series?: RequestSeries;
}

/** Who may come in, as what; who is invited, and who is shut out. */
export function PeoplePage({ start, first }: { start: IslandStart; first: PeopleFirst }) {
  const found = usePeople(first.people);
  const [chosen, choose] = useState('');
  const change = useAccountChange();
  const link = useAccountChange<{ path: string }>();
  const { people = [], invited = [], accounts = true } = found.data ?? {};
  const person = people.find(({ id }) => id === chosen);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={change.isPending || link.isPending}
      trouble={found.data ? found.error : null}
      inspectorLabel="The person"
      inspector={
        person ? (
          <Person
            person={person}
            now={start.now}
            setEnvironments={(environments) =>
              change.mutate({ method: 'PUT', path: `/api/people/${person.id}`, body: { environments } })
            }
            setDisabled={(disabled) => change.mutate({ method: 'PUT', path: `/api/people/${person.id}`, body: { disabled } })}
            recover={() => link.mutate({ path: `/api/people/${person.id}/recovery`, body: {} })}
          />
        ) : (
          found.data?.accounts && (
            <p className="dim">Choose a person to shut them out, to let them in again, or to make a link for a new password.</p>
          )
        )
      }
    >
      <AccountTabs here="/people" />
      {!found.data ? (
        <NotShown error={found.error} retry={() => void found.refetch()} />
      ) : !accounts ? (
        <Emptiness
          title="There are no accounts here"
          words="Whoever uses this machine may do everything. Start the application with --accounts, or with --host for others to reach it."
          actions={[]}
        />
      ) : (
        <>
          <h1>{headline(people, invited.length)}</h1>
          <Invite make={(body) => link.mutate({ path: '/api/people/invitations', body })} />
          {link.data && (
            <Once
              what="Hand this link to them, it is shown this once and good for seven days:"
              text={`${typeof location === 'undefined' ? '' : location.origin}${link.data.path}`}
              close={() => link.reset()}
            />
          )}
          {(change.error ?? link.error) && (
            <p className={intake.trouble} role="alert">
              {(change.error ?? link.error)?.message}
            </p>
          )}
          <PeopleTable
            people={people}
            chosen={chosen}
            choose={choose}
            now={start.now}
            setRole={(id, role) => change.mutate({ method: 'PUT', path: `/api/people/${id}`, body: { role } })}
          />
          {invited.length > 0 && (
            <>
              <h2>Links that were not used yet</h2>
              <table className={intake.table}>
                <thead>
                  <tr>
                    <th>For</th>
                    <th>As</th>
                    <th>Made by</th>
                    <th>Good until</th>
                    <th>
                      <span className="unseen">Take back</span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {invited.map((it) => (
                    <Invited
                      key={it.email}
                      it={it}
                      now={start.now}
                      takeBack={() => change.mutate({ path: '/api/people/invitations/removal', body: { email: it.email } })}
                    />
                  ))}
                </tbody>
              </table>
            </>
          )}
        </>
      )}
    </Frame>
  );
}

function headline(people: PeopleList['people'], invited: number): string {
  const inside = people.filter(({ disabled }) => disabled === null).length;
  const waiting = invited === 0 ? '' : `, ${invited} invited`;
  return `${inside === 1 ? 'One person' : `${inside} people`} may come in${waiting}`;
}

interface TableProps {
  readonly people: PeopleList['people'];
  readonly chosen: string;
  readonly choose: (id: string) => void;
  readonly now: number;
  readonly setRole: (id: string, role: Role) => void;
}

function PeopleTable({ people, chosen, choose, now, setRole }: TableProps) {
  const zone = useZone();
  return (
    <table className={`${intake.table} ${styles.table}`}>
      <thead>
        <tr>
          <th>Name</th>
          <th>Address</th>
          <th>Role</th>
          <th>Second factor</th>
          <th>Last seen</th>
        </tr>
      </thead>
      <tbody>
        {people.map((it) => (
          <tr key={it.id} aria-selected={it.id === chosen} onClick={() => choose(it.id)}>
            <th scope="row">
              <button type="button" className={it.disabled ? styles.off : undefined} onClick={() => choose(it.id)}>
                {it.name}
                {it.isYou && ' (you)'}
              </button>
            </th>
            <td>{it.email}</td>
            <td>
              <RoleChoice label={`Role of ${it.name}`} isLabelUnseen value={it.role} set={(role) => setRole(it.id, role)} />
              {Object.keys(it.environments).length > 0 && <span> and others by environment</span>}
            </td>
            <td>{it.hasSecondFactor ? 'yes' : <span className="dim">no</span>}</td>
            <td>{momentOr(it.lastSeen, zone, now, 'not signed in')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Invite({ make }: { make: (body: { email: string; role: Role }) => void }) {
  const [email, setEmail] = useState('');
  const [role, setRole] = useState<Role>('responder');
  const send = (event: FormEvent) => {
    event.preventDefault();
    make({ email, role });
    setEmail('');
  };
  return (
    <form className={styles.form} onSubmit={send}>
      <FormField label="Address of mail" type="email" value={email} required set={setEmail} />
      <RoleChoice label="As" value={role} set={setRole} />
      <button type="submit" className={intake.action}>
        Make a link for them
      </button>
    </form>
  );
}

function Invited({ it, now, takeBack }: { it: PeopleList['invited'][number]; now: number; takeBack: () => void }) {
  const zone = useZone();
  return (
    <tr>
      <td>{it.email === '' ? 'whoever has it' : it.email}</td>
      <td>{it.isRecovery ? 'a new password' : it.role}</td>
      <td>{it.by}</td>
      <td>{momentOr(it.expires, zone, now, '')}</td>
      <td>
        {it.email !== '' && (
          <button type="button" className={intake.action} onClick={takeBack}>
            Take back
          </button>
        )}
      </td>
    </tr>
  );
}

interface PersonProps {
  readonly person: PeopleList['people'][number];
  readonly now: number;
  readonly setEnvironments: (environments: EnvironmentRolesByName) => void;
  readonly setDisabled: (disabled: boolean) => void;
  readonly recover: () => void;
}

function Person({ person, now, setEnvironments, setDisabled, recover }: PersonProps) {
  const zone = useZone();
  const { id, name, email, role, environments, since, disabled, sessions, ways } = person;
  return (
    <>
      <h2>{name}</h2>
      <dl className={styles.facts}>
        <dt>Address</dt>
        <dd>{email}</dd>
        <dt>Here since</dt>
        <dd>{momentOr(since, zone, now, '')}</dd>
        <dt>Comes in by</dt>
        <dd>{ways.map((it) => (it === 'credential' ? 'password' : 'the provider')).join(', ') || 'nothing'}</dd>
        <dt>Signed in</dt>
        <dd>{sessions === 0 ? 'nowhere' : sessions === 1 ? 'at one place' : `at ${sessions} places`}</dd>
        {disabled && (
          <>
            <dt>Shut out since</dt>
            <dd>{momentOr(disabled, zone, now, '')}</dd>
          </>
        )}
      </dl>
      <div className={intake.actions}>
        <button type="button" className={intake.action} onClick={() => setDisabled(disabled === null)}>
          {disabled === null ? 'Shut out' : 'Let in again'}
        </button>
        <button type="button" className={intake.action} onClick={recover}>
          Link for a new password
        </button>
      </div>
      <p className="dim">
        Who is shut out is signed out at once, and their programs with them; what they wrote stays. A link for a new password ends
        their sessions and their second factor.
      </p>
      <EnvironmentRoles key={id} name={name} role={role} given={environments} set={setEnvironments} />
    </>
  );
}
