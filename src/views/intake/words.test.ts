import { describe, expect, it } from 'vitest';
import type { IntakeState } from '../../api/intake/state.ts';
import { connectHeadline, intakeHeadline } from './headline.ts';
import { snippetsFor } from './snippets.ts';

const state = (records: Partial<Record<'traces' | 'logs' | 'metrics' | 'profiles', number>>, refused: object[] = []) =>
  ({
    signals: (['traces', 'logs', 'metrics', 'profiles'] as const).map((signal) => ({ signal, records: records[signal] ?? 0 })),
    refused,
  }) as unknown as IntakeState;

describe('the headline of intake', () => {
  it.each([
    [undefined, 'Intake'],
    [state({}), 'Nothing came in the last hour'],
    [state({}, [{ records: 0, requests: 2 }]), 'Nothing came in the last hour; 2 refused'],
    [state({ traces: 1 }), '1 span in the last hour, nothing refused'],
    [state({ traces: 2, profiles: 1 }), '2 spans and 1 profile in the last hour, nothing refused'],
    [
      state({ traces: 2, logs: 1, metrics: 3 }, [{ records: 4, requests: 1 }]),
      '2 spans, 1 log record and 3 data points in the last hour; 5 refused',
    ],
  ])('says what came (%#)', (it, words) => expect(intakeHeadline(it)).toBe(words));

  it('of connecting waits, then says who was heard', () => {
    expect(connectHeadline([], 0, String)).toBe('Waiting for the first span');
    expect(
      connectHeadline(
        [{ service: 'gangway', last: '2026-05-02T14:00:00Z' }],
        Date.parse('2026-05-02T14:00:02Z'),
        (ms) => `${ms} ms ago`,
      ),
    ).toBe('Last from gangway, 2000 ms ago');
  });
});

it('every set-up names the address, and none another', () => {
  for (const { name, text } of snippetsFor('http://127.0.0.1:4680')) {
    expect([name, text.includes('http://127.0.0.1:4680')]).toEqual([name, true]);
    expect(text.match(/https?:\/\/[^\s/']+/g)?.every((url) => url.startsWith('http://127.0.0.1:4680'))).toBe(true);
  }
});
