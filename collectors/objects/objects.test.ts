import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { stringify } from 'yaml';
import { deriveEvent } from '../../src/formats/events/kinds.ts';
import { quantity } from './quantity.ts';
import { kindWords, readObjects } from './read.ts';

const POD = {
  apiVersion: 'v1',
  kind: 'Pod',
  metadata: {
    name: 'jetty-1',
    namespace: 'quay',
    labels: { app: 'jetty' },
    ownerReferences: [{ kind: 'ReplicaSet', name: 'jetty' }],
  },
  spec: {
    nodeName: 'quay-7',
    volumes: [{ name: 'v', configMap: { name: 'jetty-conf' } }],
    containers: [
      {
        name: 'a',
        image: 'jetty:1',
        resources: { requests: { cpu: '250m', memory: '64Mi' }, limits: { cpu: 1, memory: '128Mi' } },
      },
      {
        name: 'b',
        image: 'side:1',
        resources: { requests: { cpu: '50m', memory: '16Mi' } },
        env: [{ name: 'K', valueFrom: { secretKeyRef: { name: 'key' } } }],
      },
    ],
  },
  status: {
    phase: 'Running',
    conditions: [{ type: 'Ready', status: 'False' }],
    containerStatuses: [{ restartCount: 7, state: { waiting: { reason: 'CrashLoopBackOff' } } }, { restartCount: 1 }],
  },
};

describe('an object file', () => {
  it('gives a pod with its place, state and amounts', () => {
    const { events, faults } = readObjects(stringify(POD));
    expect(faults).toEqual([]);
    expect(events[0].attributes).toMatchObject({
      'lantern.object.id': 'pod quay/jetty-1',
      'lantern.object.part_of': 'replica set quay/jetty',
      'lantern.object.stands_on': 'quay-7',
      'lantern.object.uses': ['config map quay/jetty-conf', 'secret quay/key'],
      'lantern.object.labels': { app: 'jetty', namespace: 'quay' },
      'lantern.object.detail': {
        ready: false,
        reason: 'CrashLoopBackOff',
        restarts: 8,
        'cpu.request': 0.3,
        'memory.request': 80 * 2 ** 20,
      },
    });
    // One container without a limit: the pod has none.
    expect(events[0].attributes['lantern.object.detail']).not.toHaveProperty('cpu.limit');
    expect(deriveEvent('lantern.inventory', events[0].attributes)).toHaveProperty('row');
  });

  it('may be JSON, a list, several documents; what is broken is said and the rest is read', () => {
    const list = { kind: 'List', items: [POD, { ...POD, metadata: { name: 'jetty-2' } }] };
    expect(readObjects(JSON.stringify(list)).events.map(({ id }) => id)).toEqual(['pod quay/jetty-1', 'pod jetty-2']);
    const { events, faults } = readObjects(
      `${stringify(POD)}---\nkind: [\n---\nkind: nothing\n---\n${stringify({ ...POD, metadata: { name: 'jetty-3' } })}`,
    );
    expect(events.map(({ id }) => id)).toEqual(['pod quay/jetty-1', 'pod jetty-3']);
    expect(faults).toHaveLength(2);
  });

  it('never gives the values of a secret', () => {
    fc.assert(
      fc.property(fc.base64String({ minLength: 12, maxLength: 60 }), fc.stringMatching(/^[a-z]{12,20}$/), (data, plain) => {
        const annotations = { 'kubectl.kubernetes.io/last-applied-configuration': JSON.stringify({ data: { token: data } }) };
        const secret = { kind: 'Secret', metadata: { name: 'key', annotations }, data: { token: data }, stringData: { plain } };
        for (const text of [stringify(secret), JSON.stringify(secret), JSON.stringify({ kind: 'SecretList', items: [secret] })]) {
          const sent = JSON.stringify(readObjects(text).events);
          expect(sent).toContain('token');
          expect(sent).not.toContain(data);
          expect(sent).not.toContain(plain);
        }
      }),
      { numRuns: 60 },
    );
  });

  it('gives own kinds the columns of their definition', () => {
    const definition = {
      kind: 'CustomResourceDefinition',
      metadata: { name: 'mailroutes.reach.example' },
      spec: {
        names: { kind: 'MailRoute' },
        versions: [
          {
            additionalPrinterColumns: [
              { name: 'Until', jsonPath: '.spec.until' },
              { name: 'First', jsonPath: '.spec.stops[0]' },
            ],
          },
        ],
      },
    };
    const route = {
      kind: 'MailRoute',
      metadata: { name: 'evening' },
      spec: { until: '23:30', stops: ['tern', 'marram'], deep: { more: 4 } },
    };
    const { events } = readObjects(`${stringify(route)}---\n${stringify(definition)}`);
    expect(events.find(({ id }) => id === 'mail route evening')?.attributes['lantern.object.detail']).toEqual({
      until: '23:30',
      'deep.more': 4,
      Until: '23:30',
      First: 'tern',
    });
    expect(events.find(({ id }) => id === 'kind mail route')?.attributes['lantern.object.detail']).toEqual({
      columns: ['Until', 'First'],
    });
    expect(kindWords('PersistentVolumeClaim')).toBe('persistent volume claim');
  });

  it('gives events at their time, and bills of images', () => {
    const happened = {
      kind: 'Event',
      involvedObject: { kind: 'Pod', name: 'jetty-1', namespace: 'quay' },
      reason: 'FailedScheduling',
      message: 'no room',
      type: 'Warning',
      count: 3,
      lastTimestamp: '2026-05-02T10:00:00Z',
    };
    const [event] = readObjects(stringify(happened)).events;
    expect(event.atMs).toBe(Date.parse('2026-05-02T10:00:00Z'));
    expect(deriveEvent(event.name, event.attributes)).toMatchObject({
      row: { objectId: 'pod quay/jetty-1', reason: 'FailedScheduling', trouble: true, count: 3 },
    });
    const bill = {
      bomFormat: 'CycloneDX',
      metadata: { component: { name: 'jetty', version: '1' } },
      components: [{ name: 'reed', version: '3' }],
    };
    expect(readObjects(JSON.stringify(bill)).events[0]).toMatchObject({ id: 'image jetty:1' });
    expect(readObjects('{"bomFormat":"CycloneDX","components":3}').faults[0]).toContain('CycloneDX');
  });

  it('does not grow beyond bounds by aliases', () => {
    const bomb = `a: &a [x,x,x,x,x,x,x,x,x]\n${'bcdefghi'
      .split('')
      .map((name, at) => `${name}: &${name} [${Array(9).fill(`*${'abcdefgh'[at]}`).join(',')}]`)
      .join('\n')}\nkind: Pod\nmetadata: {name: x}\n`;
    expect(readObjects(bomb).faults[0]).toMatch(/alias/i);
  });
});

it('amounts are read as cluster tools write them', () => {
  expect(['250m', '1', 2, '64Mi', '1.5Gi', '2k', '1e3', '', 'much', null].map(quantity)).toEqual([
    0.25,
    1,
    2,
    64 * 2 ** 20,
    1.5 * 2 ** 30,
    2_000,
    1_000,
    undefined,
    undefined,
    undefined,
  ]);
});
