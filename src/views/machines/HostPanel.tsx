import { Area, AreaChart, ReferenceArea, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import type { MachineHost } from '../../api/machines/host.ts';
import { coresText, readingText, ruleWords } from '../../core/machines/words.ts';
import { clockTime } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { DragToLight } from '../../ui/charts/DragToLight.tsx';
import { timeAxis } from '../../ui/charts/timeAxis.ts';
import { hostPath } from '../../ui/machines/machinePaths.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Machines.module.css';

interface HostPanelProps {
  readonly host: MachineHost | undefined;
  readonly name: string;
  readonly trouble: Error | null;
  readonly moveTo: (at: number) => void;
}

const MOST_RESOURCES = 8;
const MOST_PROCESSES = 6;
const MOST_JOBS = 4;
/** Cores more than before that make a process stand out. */
const GREW = 0.2;
/** A run of this length is worth its own words. */
const LONG_MS = 120_000;

/** A host at a moment: resources against usual, who takes it, what runs by itself, and the worst of it over the window. */
export function HostPanel({ host, name, trouble, moveTo }: HostPanelProps) {
  const { href } = useScope();
  const zone = useZone();
  if (trouble && !host) return <p className="dim">{trouble.message}</p>;
  if (!host || host.name !== name) return <p className="dim">Looking at {name} …</p>;
  const most = Math.max(0.1, ...host.processes.map(({ cores, wants }) => Math.max(cores, wants)));
  return (
    <section className={styles.host} aria-label={`${host.name} at the moment`}>
      <div>
        <h3>
          <a href={href(hostPath(host.name))} suppressHydrationWarning>
            {host.name} at {clockTime(host.at, zone)}
          </a>
          <small>against its usual range</small>
        </h3>
        {host.resources.slice(0, MOST_RESOURCES).map((it) => (
          <Resource key={it.rule} resource={it} />
        ))}
        {host.resources.length === 0 && <p className="dim">Nothing on this machine sends its measures.</p>}
      </div>
      <div>
        <h3>
          Busiest there{' '}
          <small>
            {host.cores > 0 && `${coresText(host.processes.reduce((sum, { cores }) => sum + cores, 0))} of ${host.cores} cores`}
          </small>
        </h3>
        {host.processes.slice(0, MOST_PROCESSES).map((it) => (
          <div
            key={`${it.name} ${it.container} ${it.job}`}
            className={styles.process}
            data-grew={it.cores - it.before >= GREW}
            title={`${it.name}: ${coresText(it.cores)} cores, ${coresText(it.before)} before`}
          >
            <span>{it.container || it.name}</span>
            <span className={styles.bar}>
              {it.wants > it.cores * 1.05 && <i className={styles.wanted} style={{ width: `${(100 * it.wants) / most}%` }} />}
              <i className={styles.got} style={{ width: `${(100 * it.cores) / most}%` }} />
              <i className={styles.was} style={{ left: `${(100 * it.before) / most}%` }} />
            </span>
            <span>
              {coresText(it.cores)}
              {it.wants > it.cores * 1.05 && <span className={styles.ill}> of {coresText(it.wants)}</span>}
            </span>
          </div>
        ))}
        {host.processes.length === 0 && <p className="dim">No agent on it sends its processes.</p>}
        {host.jobs.length > 0 && (
          <>
            <h3>
              Jobs of the host <small>in this window</small>
            </h3>
            {host.jobs.slice(0, MOST_JOBS).map((it) => (
              <Job key={it.id} job={it} zone={zone} />
            ))}
          </>
        )}
      </div>
      <Needle host={host} zone={zone} moveTo={moveTo} />
    </section>
  );
}

export function Resource({ resource: { rule, value, usual, standing } }: { resource: MachineHost['resources'][number] }) {
  const top = 1.12 * Math.max(value ?? 0, usual?.high ?? 0, 1e-9);
  return (
    <div
      className={styles.resource}
      data-ill={standing === 'ill'}
      title={usual ? `usually ${readingText(rule, usual.low)} to ${readingText(rule, usual.high)}` : 'usual not known'}
    >
      <span>{ruleWords(rule)}</span>
      <span className={styles.strip}>
        {usual && (
          <i
            className={styles.band}
            style={{ left: `${(100 * usual.low) / top}%`, width: `${(100 * (usual.high - usual.low)) / top}%` }}
          />
        )}
        {value !== null && <i className={styles.tick} style={{ left: `${(100 * value) / top}%` }} />}
      </span>
      <output>{readingText(rule, value)}</output>
    </div>
  );
}

export function Job({ job, zone }: { job: MachineHost['jobs'][number]; zone: string }) {
  const last = job.runs.at(-1);
  const isLong = last !== undefined && (last.to === null || last.to - last.from >= LONG_MS);
  return (
    <div className={styles.job} data-long={isLong}>
      <span>{job.name}</span>
      <span>
        {!last
          ? 'did not run'
          : isLong
            ? last.to === null
              ? `runs since ${clockTime(last.from, zone)}`
              : `${clockTime(last.from, zone)}–${clockTime(last.to, zone)}, ${formatDuration((last.to - last.from) * 1e6)}`
            : `${last.message || 'done'}, ${clockTime(last.from, zone)}`}
      </span>
      <span className="dim">{isLong && job.usually !== null ? `usually ${timeOfDay(job.usually, zone)}` : job.schedule}</span>
    </div>
  );
}

/** Minutes since midnight UTC as a time of the zone. */
function timeOfDay(minutes: number, zone: string): string {
  const today = Math.floor(Date.now() / 86_400_000) * 86_400_000;
  return clockTime(today + minutes * 60_000, zone);
}

/** The measure that is worst over the window, with the moment that is shown; click or arrows move it. */
function Needle({ host, zone, moveTo }: { host: MachineHost; zone: string; moveTo: (at: number) => void }) {
  const [worst] = host.resources;
  if (!worst) return <div />;
  const [from, to] = [Date.parse(host.litWindow.from), Date.parse(host.litWindow.to)];
  const first = Math.floor(from / 60_000) * 60_000;
  const rows = worst.over.map((value, minute) => ({ at: first + minute * 60_000, value }));
  const long = host.jobs
    .flatMap(({ name, runs }) => runs.map((run) => ({ name, ...run })))
    .filter((it) => (it.to ?? to) - it.from >= LONG_MS);
  const job = long.find((it) => it.from <= host.at && (it.to ?? to) >= host.at) ?? long.at(-1);
  return (
    <div>
      <h3>
        {ruleWords(worst.rule)} there <small>click to move the moment</small>
      </h3>
      <DragToLight from={from} to={to} right={8}>
        <div role="img" aria-label={`${ruleWords(worst.rule)} of ${host.name} over the window`}>
          <ResponsiveContainer width="100%" height={132}>
            <AreaChart
              data={rows}
              margin={{ top: 14, right: 8, bottom: 0, left: 0 }}
              accessibilityLayer={false}
              onClick={(state) => {
                if (typeof state?.activeLabel === 'number') moveTo(state.activeLabel);
                else if (state?.activeLabel !== undefined) moveTo(Number(state.activeLabel));
              }}
            >
              <XAxis {...timeAxis(from, to, zone, 4)} />
              <YAxis hide domain={[0, (most: number) => Math.max(most, worst.usual?.high ?? 0, 1e-9)]} />
              {worst.usual && <ReferenceLine y={worst.usual.high} stroke="var(--before)" strokeDasharray="3 3" />}
              {job && (
                <ReferenceArea
                  x1={Math.max(from, job.from)}
                  x2={Math.min(to, job.to ?? to)}
                  fill="var(--lit)"
                  fillOpacity={0.12}
                />
              )}
              <Area
                dataKey="value"
                type="stepAfter"
                stroke="none"
                fill={worst.standing === 'ill' ? 'var(--lit)' : 'var(--text-3)'}
                fillOpacity={0.7}
                isAnimationActive={false}
              />
              <ReferenceLine
                x={host.at}
                stroke="var(--text)"
                label={{ value: clockTime(host.at, zone), position: 'top', fontSize: 10, fill: 'var(--text)' }}
              />
            </AreaChart>
          </ResponsiveContainer>
        </div>
      </DragToLight>
      {job && (
        <p className="dim">
          {job.name} ran {clockTime(job.from, zone)}–{job.to === null ? 'now' : clockTime(job.to, zone)}
        </p>
      )}
    </div>
  );
}
