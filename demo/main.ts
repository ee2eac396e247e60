import { join } from 'node:path';
import { demoOptions } from './options.ts';

try {
  const asked = demoOptions(process.argv.slice(2));
  // The company is loaded when it is known that it is asked for something.
  if (asked.inject) {
    const { inject } = await import('./live.ts');
    const { name, forMs, forText } = asked.inject;
    inject(join(asked.data, 'demo-faults.json'), name, forMs, Date.now());
    process.stderr.write(`${name} is on for ${forText}, as soon as the running demo sees it (within two seconds)\n`);
  } else {
    const { make } = await import('./make.ts');
    await make(asked);
  }
} catch (error) {
  process.stderr.write(`demo: ${(error as Error).message}\n`);
  process.exitCode = 1;
}
