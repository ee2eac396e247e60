import { Menu } from '@mantine/core';
import { useRef } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { inOrder, profileSentence, TYPE_WORDS } from '../../core/profile/words.ts';
import { comparisonQuery } from '../../core/scope/scope.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { CODE_TABS } from '../../ui/code/codePath.ts';
import { ChipsNote } from '../../ui/databases/ChipsNote.tsx';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { useProfile } from '../../ui/queries/code.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import styles from './Code.module.css';
import { FunctionAside } from './FunctionAside.tsx';
import { FunctionTable } from './FunctionTable.tsx';
import { Flame } from './flame/Flame.tsx';
import { PROFILE_OPTIONS, type ProfileOptions } from './profileOptions.ts';
import { SourceCost } from './SourceCost.tsx';
import { TakeProfile } from './TakeProfile.tsx';

export interface ProfileFirst {
  readonly series?: RequestSeries;
  readonly options: ProfileOptions;
}

/** Which code grew: what profilers saw of a service, lit against before. */
export function ProfilePage({ start, first }: { start: IslandStart; first: ProfileFirst }) {
  const { scope, change } = useScope();
  const [options, setOptions] = usePageOptions(first.options, PROFILE_OPTIONS);
  const finder = useRef<HTMLInputElement>(null);
  const query = PROFILE_OPTIONS.write({ ...options, find: '' });
  const asked = Object.fromEntries(Object.entries(query).flatMap(([name, value]) => (value ? [[name, value]] : [])));
  const found = useProfile(scope, asked);
  const profile = found.data;
  const chosen = profile?.chosen ? `${profile.chosen.name}|${profile.chosen.file}` : '';
  usePinnables([
    profile !== undefined &&
      profile.service !== '' && {
        kind: 'profile',
        what: `${profile.type} profile of ${profile.service}`,
        of: 'windows',
        query: asked,
      },
  ]);
  const choose = (key: string) => setOptions({ function: key });
  usePageKeys([['f', () => finder.current?.focus()]]);
  const hasData = profile && profile.service !== '' && (profile.lit.value > 0 || profile.before.value > 0);
  const grown = profile?.functions.find(({ name, file }) => `${name}|${file}` === profile.grown);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={profile ? found.error : null}
      inspectorLabel="Function"
      inspector={hasData ? <FunctionAside profile={profile} choose={choose} /> : undefined}
    >
      <header className={styles.head}>
        <PageTabs label="Code" tabs={CODE_TABS} here="/code/profile" />
        {hasData && (
          <span className="dim">
            {formatCount(Math.round(profile.lit.count))} samples lit, {formatCount(Math.round(profile.before.count))}{' '}
            {profile.reference}
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {profile
          ? profile.service === ''
            ? 'No profile in these windows'
            : profileSentence(profile, grown)
          : found.error
            ? 'No answer'
            : 'Looking at the profiles …'}
      </h1>
      <ChipsNote of="profiles" />
      {found.error && !profile && (
        <Emptiness
          title="Profiles cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {profile && (
        <Controls
          profile={profile}
          options={options}
          setOptions={setOptions}
          finder={finder}
          query={{ ...comparisonQuery({ ...scope, chips: [] }, Date.now()), ...asked }}
        />
      )}
      {profile && !hasData && (
        <Emptiness
          title={
            profile.service === '' ? 'No profiler reported in these windows' : `Nothing was sampled of ${profile.service} here`
          }
          words="Profiles come as OTLP profiles, from the Node probe (node --import, see docs/using.md), or from files by ./dusk import. Light a time in which one reported, or leave out the version, instance or operation."
          actions={[
            { label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) },
            {
              label: 'All of the service',
              act: () => setOptions({ version: '', instance: '', operation: '', span: '', against: '' }),
            },
          ]}
        />
      )}
      {hasData && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <Flame profile={profile} chosen={chosen} choose={choose} find={options.find} />
          <div className={styles.below}>
            <FunctionTable profile={profile} chosen={chosen} choose={choose} find={options.find} />
            <SourceCost profile={profile} />
          </div>
        </div>
      )}
    </Frame>
  );
}

/** Which way the calls are drawn, and what one box is. */
const VIEWS = [
  ['down function', 'down, by function'],
  ['down line', 'down, by line'],
  ['down package', 'down, by package'],
  ['up function', 'up, by function'],
  ['up line', 'up, by line'],
  ['up package', 'up, by package'],
] as const;

interface ControlsProps {
  readonly profile: NonNullable<ReturnType<typeof useProfile>['data']>;
  readonly options: ProfileOptions;
  readonly setOptions: (part: Partial<ProfileOptions>, isStep?: boolean) => void;
  readonly finder: React.RefObject<HTMLInputElement | null>;
  readonly query: Readonly<Record<string, string>>;
}

function Controls({ profile, options, setOptions, finder, query }: ControlsProps) {
  const versions = profile.versions.map(({ value }) => value).filter((it) => it !== '');
  const type = profile.types.includes(options.type) || profile.types.length === 0 ? options.type : profile.types[0];
  const download = (format: string) =>
    `/api/code/profile/download?${new URLSearchParams({ ...query, service: profile.service, format })}`;
  return (
    <div className={styles.controls}>
      <Choice
        label="service"
        usual={options.service === '' ? profile.service : ''}
        value={profile.service}
        choices={profile.services.map(({ service }) => [service, service])}
        choose={(service) =>
          setOptions({ service, version: '', against: '', instance: '', operation: '', function: '', span: '' })
        }
      />
      <Choice
        label="measured"
        value={type}
        choices={inOrder(profile.types.length > 0 ? profile.types : [options.type]).map((it) => [
          it,
          TYPE_WORDS[it.split(' ')[0]] ?? it,
        ])}
        choose={(it) => setOptions({ type: it })}
      />
      <Choice
        label="held against"
        value={options.against && options.version ? `${options.against} ${options.version}` : ''}
        choices={[
          ['', 'before'],
          ...versions.flatMap((version) =>
            versions
              .filter((other) => other !== version)
              .map((other) => [`${other} ${version}`, `${other} against ${version}`] as const),
          ),
        ]}
        choose={(pair) => {
          const [against = '', version = ''] = pair.split(' ');
          setOptions({ against, version });
        }}
      />
      <Choice
        label="version"
        value={options.version}
        choices={[['', 'all versions'], ...versions.map((it) => [it, it] as const)]}
        choose={(version) => setOptions({ version, against: '' })}
      />
      <Choice
        label="operation"
        value={options.operation}
        choices={[
          ['', 'all operations'],
          ...profile.operations.filter(({ value }) => value !== '').map(({ value }) => [value, value] as const),
        ]}
        choose={(operation) => setOptions({ operation })}
      />
      <Choice
        label="instance"
        value={options.instance}
        choices={[
          ['', 'all instances'],
          ...profile.instances.filter(({ value }) => value !== '').map(({ value }) => [value, value] as const),
        ]}
        choose={(instance) => setOptions({ instance })}
      />
      <Choice
        label="boxes"
        value={`${options.direction} ${options.by}`}
        choices={VIEWS}
        choose={(view) => {
          const [direction, by] = view.split(' ') as [ProfileOptions['direction'], ProfileOptions['by']];
          setOptions({ direction, by });
        }}
      />
      <label className={styles.find}>
        <span className="unseen">find a function</span>
        <input
          ref={finder}
          type="search"
          value={options.find}
          placeholder="find"
          onChange={(event) => setOptions({ find: event.target.value }, false)}
          onKeyDown={(event) => event.key === 'Escape' && event.currentTarget.blur()}
        />
        <kbd>f</kbd>
      </label>
      <TakeProfile profile={profile} instance={options.instance} />
      <Menu position="bottom-end" withinPortal={false}>
        <Menu.Target>
          <button type="button" className={styles.button}>
            save
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item component="a" href={download('pprof')}>
            as pprof
          </Menu.Item>
          <Menu.Item component="a" href={download('folded')}>
            as folded stacks
          </Menu.Item>
          <Menu.Item component="a" href={download('cpuprofile')}>
            as .cpuprofile
          </Menu.Item>
        </Menu.Dropdown>
      </Menu>
      {options.span !== '' && (
        <button type="button" className={styles.button} onClick={() => setOptions({ span: '' })}>
          span {options.span.split('/')[1]} ×
        </button>
      )}
    </div>
  );
}

interface ChoiceProps {
  readonly label: string;
  readonly value: string;
  readonly choices: readonly (readonly [value: string, name: string])[];
  readonly choose: (value: string) => void;
  /** The one that is not marked as set; the first by default. */
  readonly usual?: string;
}

/** A choice that is not offered where there is but one. */
function Choice({ label, value, choices, choose, usual = choices[0]?.[0] }: ChoiceProps) {
  if (choices.length < 2) return null;
  return (
    <label className={styles.choice}>
      <span className="unseen">{label}</span>
      <select value={value} aria-label={label} data-set={value !== usual} onChange={(event) => choose(event.target.value)}>
        {choices.map(([it, name]) => (
          <option key={it} value={it}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}
