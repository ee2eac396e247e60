import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { runProgram } from './build.ts';

it('a program is run to its end, with its status and all that it said', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'dusk-program-'));
  try {
    const file = join(folder, 'says.mjs');
    writeFileSync(
      file,
      `console.log(process.argv[2], process.env.SEASON, process.env.ASTRO_TELEMETRY_DISABLED);
      console.error('x'.repeat(300_000));
      process.exitCode = 3;`,
    );
    const { status, output } = await runProgram([file, 'tern'], { SEASON: 'winter' });
    expect(status).toBe(3);
    expect(output).toContain('tern winter 1');
    expect(output.match(/x/g)).toHaveLength(300_000);
  } finally {
    rmSync(folder, { recursive: true });
  }
});
