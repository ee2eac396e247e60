import { HostCollector } from './collect.ts';
import { groupsOf } from './containers.ts';
import { jobsOf } from './jobs.ts';
import { machineReadings } from './machine.ts';
import { type HostOptions, hostOptions } from './options.ts';

/* `./dusk collect host`: reads what a Linux machine does and waits for, and sends that as OTLP. */

const say = (words: string) => process.stderr.write(`collect host: ${words}\n`);

try {
  const options = hostOptions(process.argv.slice(2));
  if (options.check) check(options);
  else {
    const collector = new HostCollector(options, say);
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => collector.stop());
    say(`reading ${options.name} every ${options.everyMs / 1_000} s`);
    await collector.run();
  }
} catch (error) {
  say((error as Error).message);
  process.exitCode = 1;
}

/** Tells what would be seen, and sends nothing. */
function check({ name, roots }: HostOptions): void {
  const readings = machineReadings(roots);
  const { containers, pods } = groupsOf(roots);
  const has = (metric: string) => readings.some((it) => it.name === metric);
  const lines = [
    `${name}: ${readings.length} readings of the machine`,
    `pressure     ${has('system.pressure') ? 'read' : 'not there: the kernel counts none'}`,
    `disks        ${has('system.disk.io_time') ? 'read' : 'none seen'}`,
    `containers   ${containers.length === 0 ? 'none: no cgroup v2 with processes' : containers.length}`,
    `pods         ${pods.length}, by their uids: the inventory of \`collect objects\` names them`,
    `limits       ${containers.filter((it) => it.cpuLimit !== undefined || it.memoryLimit !== undefined).length} containers have one`,
    `jobs         ${jobsOf(roots).length} timers and lines of cron`,
  ];
  process.stdout.write(`${lines.join('\n')}\n`);
}
