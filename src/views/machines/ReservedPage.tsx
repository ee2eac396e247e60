import type { MachineReserved } from '../../api/machines/reserved.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { coresText, memoryText } from '../../core/machines/words.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { hostPath, MACHINE_TABS, objectPath } from '../../ui/machines/machinePaths.ts';
import { useReserved } from '../../ui/queries/machines.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import styles from './Machines.module.css';
import reserved from './Reserved.module.css';

export interface SeriesFirst {
  readonly series?: RequestSeries;
}

type Pod = MachineReserved['pods'][number];
type Machine = MachineReserved['machines'][number];

/** What is reserved against what is used, from the whole to one container, with a proposal. */
export function ReservedPage({ start, first }: { start: IslandStart; first: SeriesFirst }) {
  const { scope, change, href } = useScope();
  const found = useReserved(scope);
  const answer = found.data;
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel="Proposal"
      inspector={answer && answer.total > 0 ? <Whole answer={answer} /> : undefined}
    >
      <header className={styles.head}>
        <PageTabs label="Machines" tabs={MACHINE_TABS} here="/machines/reserved" />
        {answer && <span className="dim">use of the day before the end of the lit window</span>}
      </header>
      <h1 className={styles.headline}>
        {answer ? reservedSentence(answer) : found.error ? 'No answer' : 'Adding up what is reserved …'}
      </h1>
      {found.error && !answer && (
        <Emptiness
          title="Reservations cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && answer.total === 0 && (
        <Emptiness
          title="No pod is known at the end of this window"
          words="What pods reserve is known from the inventory, see ./dusk collect objects; what they use from their measures."
          actions={[{ label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) }]}
        />
      )}
      {answer && answer.total > 0 && (
        <div className={styles.page}>
          <div className={reserved.machines}>
            {answer.machines.map((it) => (
              <MachineShare key={it.name} machine={it} href={href(hostPath(it.name))} />
            ))}
          </div>
          <DataTable
            title="reserved and used"
            columns={COLUMNS}
            rows={answer.pods}
            rowKey={({ id }) => id}
            open={({ id }) => location.assign(href(objectPath(id)))}
          />
        </div>
      )}
    </Frame>
  );
}

function MachineShare({ machine: it, href }: { machine: Machine; href: string }) {
  const part = (value: number, of: number) => `${Math.min(100, (100 * value) / Math.max(of, 1e-9))}%`;
  return (
    <a className={reserved.machine} href={href} suppressHydrationWarning>
      <b>{it.name}</b> <span className="dim">{it.host !== it.name && it.host}</span>
      {(
        [
          ['CPU', it.usedCores, it.reservedCores, it.cores, coresText],
          ['memory', it.usedMemory, it.reservedMemory, it.memory, memoryText],
        ] as const
      ).map(([name, used, asked, of, text]) => (
        <span
          key={name}
          className={reserved.share}
          title={`${name}: ${text(used)} used (p99), ${text(asked)} reserved, ${text(of)} there`}
        >
          <small>{name}</small>
          <span>
            <i className={reserved.asked} style={{ width: part(asked, of) }} />
            <i className={reserved.used} data-over={used > asked} style={{ width: part(used, of) }} />
          </span>
        </span>
      ))}
    </a>
  );
}

const NONE = <span className="dim">–</span>;
function column(
  of: 'cpu' | 'memory',
  what: 'request' | 'p99' | 'proposal' | 'freed' | 'limit',
  title: string,
  hidden = false,
): TableColumn<Pod> {
  const text = of === 'cpu' ? coresText : memoryText;
  return {
    key: `${of} ${what}`,
    title,
    hidden,
    value: (pod) => pod[of][what],
    cell: (pod) => {
      const value = pod[of][what];
      if (value === null) return NONE;
      if (what !== 'freed') return text(value);
      return <span className={value < 0 ? styles.ill : undefined}>{value < 0 ? `${text(-value)} more` : text(value)}</span>;
    },
  };
}

const COLUMNS: readonly TableColumn<Pod>[] = [
  {
    key: 'pod',
    title: 'pod',
    align: 'left',
    value: ({ name }) => name,
    cell: ({ name, service }) => (
      <>
        {service && <ServiceMark service={service} />} <b>{name}</b>
      </>
    ),
  },
  { key: 'machine', title: 'stands on', align: 'left', value: ({ machine }) => machine },
  column('cpu', 'request', 'cores reserved'),
  column('cpu', 'limit', 'cores limit', true),
  column('cpu', 'p99', 'used, p99'),
  column('cpu', 'proposal', 'proposal'),
  column('cpu', 'freed', 'frees'),
  column('memory', 'request', 'memory reserved'),
  column('memory', 'limit', 'memory limit', true),
  column('memory', 'p99', 'used, p99'),
  column('memory', 'proposal', 'proposal'),
  column('memory', 'freed', 'frees'),
];

function sums({ pods }: MachineReserved, of: 'cpu' | 'memory') {
  const known = pods.filter((it) => it[of].freed !== null);
  const total = (values: readonly (number | null)[]) => values.reduce<number>((sum, it) => sum + (it ?? 0), 0);
  return {
    asked: total(known.map((it) => it[of].request)),
    used: total(known.map((it) => it[of].p99)),
    proposed: total(known.map((it) => it[of].proposal)),
    freed: total(known.map((it) => Math.max(0, it[of].freed ?? 0))),
    more: total(known.map((it) => Math.max(0, -(it[of].freed ?? 0)))),
    known: known.length,
  };
}

function reservedSentence(answer: MachineReserved): string {
  if (answer.total === 0) return 'Nothing is reserved';
  const [cpu, memory] = [sums(answer, 'cpu'), sums(answer, 'memory')];
  if (cpu.known === 0 && memory.known === 0)
    return `Not enough data: no pod has both a reservation and ${answer.enoughMinutes} minutes of use`;
  return `${coresText(cpu.freed)} of ${coresText(cpu.asked)} reserved cores and ${memoryText(memory.freed)} of ${memoryText(memory.asked)} are not needed`;
}

function Whole({ answer }: { answer: MachineReserved }) {
  const parts = [
    ['Cores', sums(answer, 'cpu'), coresText],
    ['Memory', sums(answer, 'memory'), memoryText],
  ] as const;
  return (
    <div className={styles.aside}>
      <h2>All pods together</h2>
      {parts.map(([name, it, text]) => (
        <section key={name}>
          <h3>
            {name} <small>of {it.known} pods</small>
          </h3>
          <ul className={styles.pairs}>
            <li>
              <span>reserved</span>
              <span className="mono">{text(it.asked)}</span>
            </li>
            <li>
              <span>used, sum of p99</span>
              <span className="mono">{text(it.used)}</span>
            </li>
            <li>
              <span>proposed</span>
              <span className="mono">{text(it.proposed)}</span>
            </li>
            <li>
              <span>freed where there is too much</span>
              <span className="mono">{text(it.freed)}</span>
            </li>
            <li>
              <span>more where there is too little</span>
              <span className="mono">{text(it.more)}</span>
            </li>
          </ul>
        </section>
      ))}
      <p className="dim">
        The proposal is the 99 % quantile of the minutes of use and a fifth more. The sum of the quantiles is more than all used
        at any one time: they seldom peak together. Pods with less than {answer.enoughMinutes} minutes of use, or without a
        reservation, are left out here.
      </p>
    </div>
  );
}
