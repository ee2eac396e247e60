import { benchCode } from './code.ts';
import { benchContrast } from './contrast.ts';
import { benchDatabases } from './databases.ts';
import { benchFuzz } from './fuzz.ts';
import { benchIntake } from './intake.ts';
import { benchLogs } from './logs.ts';
import { benchMachines } from './machines.ts';
import { benchMap } from './map.ts';
import { benchOpen } from './open.ts';
import { benchPages } from './pages.ts';
import { benchPlans } from './plans/plans.ts';
import { benchProbe } from './probe.ts';
import { benchProfiles } from './profiles.ts';
import { benchRead } from './read.ts';
import { benchSignals } from './signals.ts';
import { benchSoak } from './soak.ts';
import { benchTokens } from './tokens.ts';
import { benchTrace } from './trace.ts';
import { benchVisitors } from './visitors.ts';

/** Each may be given how much of it is wanted, as a number. */
const [name = '', much, ...more] = process.argv.slice(2);
const BENCHES: Record<string, (much?: number) => Promise<void> | void> = {
  trace: () => benchTrace(),
  open: () => benchOpen(),
  machines: benchMachines,
  map: () => benchMap(),
  pages: benchPages,
  intake: benchIntake,
  tokens: benchTokens,
  read: benchRead,
  fuzz: benchFuzz,
  soak: benchSoak,
  // Of which day it begins with: a part of many days can be looked at again.
  signals: (days) => benchSignals(days, Number(more[0]) || 1),
  contrast: benchContrast,
  logs: benchLogs,
  databases: benchDatabases,
  plans: (gigabytes) => benchPlans(gigabytes, more[0] === undefined ? undefined : Number(more[0]), Number(more[1]) || 1, more[2]),
  profiles: benchProfiles,
  probe: benchProbe,
  visitors: benchVisitors,
};

const bench = BENCHES[name];
if (name === 'code' && much !== undefined)
  await benchCode([much, ...more]).catch((error: Error) => {
    process.stderr.write(`dusk bench code: ${error.message}\n`);
    process.exitCode = 1;
  });
else if (bench && (much === undefined || Number(much) > 0)) await bench(much === undefined ? undefined : Number(much));
else {
  process.stderr.write(
    `dusk bench: name one of ${[...Object.keys(BENCHES), 'code FILE FILE'].join(', ')}, and how much of it if not the usual\n`,
  );
  process.exitCode = 2;
}
