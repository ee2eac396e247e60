import { benchIntake } from './intake.ts';
import { benchOpen } from './open.ts';
import { benchTrace } from './trace.ts';

const BENCHES: Record<string, () => Promise<void> | void> = { trace: benchTrace, open: benchOpen, intake: benchIntake };

const [name = ''] = process.argv.slice(2);
const bench = BENCHES[name];
if (bench) await bench();
else {
  process.stderr.write(`dusk bench: name one of ${Object.keys(BENCHES).join(', ')}\n`);
  process.exitCode = 2;
}
