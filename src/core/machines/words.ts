import { formatBytes } from '../measures/amount.ts';
import { formatDuration } from '../time/duration.ts';
import type { Layer } from './rules.ts';
import { RULES } from './rules.ts';
import type { Taken } from './takers.ts';

/** A layer in words, and what is looked at there by default. */
export const LAYER_WORDS: Readonly<Record<Layer, readonly [name: string, about: string]>> = {
  service: ['service', 'p95'],
  process: ['process', 'waits to run'],
  container: ['pod, container', 'cores not got'],
  vm: ['virtual machine', 'time stolen'],
  host: ['host', 'CPU'],
  disk: ['disk', 'wait'],
  network: ['network', 'sent again'],
};

const SEVERAL: Readonly<Record<Layer, string>> = {
  service: 'services',
  process: 'processes',
  container: 'pods, containers',
  vm: 'virtual machines',
  host: 'hosts',
  disk: 'disks',
  network: 'networks',
};

/** "3 processes". */
export function layerCount(layer: Layer, count: number): string {
  return `${count} ${count === 1 ? LAYER_WORDS[layer][0] : SEVERAL[layer]}`;
}

/** What a rule looks at, in words. */
export function ruleWords(rule: string): string {
  return rule === 'p95' ? 'p95' : (RULES.find(({ id }) => id === rule)?.words ?? rule);
}

/** A value of a rule with its unit. */
export function readingText(rule: string, value: number | null): string {
  if (value === null || Number.isNaN(value)) return '–';
  if (rule === 'p95') return formatDuration(value);
  switch (RULES.find(({ id }) => id === rule)?.unit) {
    case 'seconds':
      return formatDuration(value * 1e9);
    case 'cores':
      return coresText(value);
    case 'times':
      return `${Math.round(value)} ×`;
    default:
      return shareText(value);
  }
}

/** "27 %", "0.4 %". */
export function shareText(share: number): string {
  const percent = 100 * share;
  return `${percent === 0 || percent >= 9.95 ? percent.toFixed(0) : percent >= 0.095 ? percent.toFixed(1) : '< 0.1'} %`;
}

/** Memory in the units in which it is reserved: "320 MiB", "1.5 GiB". */
export function memoryText(bytes: number): string {
  const mib = bytes / 2 ** 20;
  if (mib >= 1_000) return `${(mib / 1024).toFixed(mib >= 10_240 ? 0 : 1)} GiB`;
  return `${mib >= 9.95 || mib === 0 ? mib.toFixed(0) : mib.toFixed(1)} MiB`;
}

/** "15.7", "6.6", "0.34": cores to two or three figures. */
export function coresText(cores: number): string {
  if (cores >= 99.5 || cores === 0) return cores.toFixed(0);
  return cores >= 0.995 ? cores.toFixed(1) : cores >= 0.0095 ? cores.toFixed(2) : '< 0.01';
}

export interface LowestWords {
  readonly layer: Layer;
  readonly name: string;
  readonly services: number;
  readonly sure: boolean;
  readonly above: number;
  readonly of: number;
  /** Others of its service that are ill in the same way. */
  readonly alike: number;
  readonly cause: CauseWords | null;
}

/** Who takes what is short. @see takerOf */
interface CauseWords {
  readonly name: string;
  /** Of which it is; empty when it is the machine's own. */
  readonly container: string;
  readonly takes: Taken;
  readonly amount: number;
  /** What the machine has; 0 when not known. */
  readonly of: number;
}

/** What the page says of the layers in one sentence. @param at the moment in words @param illServices the services that are ill */
export function layersSentence(
  lowest: LowestWords | null,
  instances: number,
  illServices: readonly string[],
  about: {
    readonly reading: { readonly rule: string; readonly value: number | null } | null;
    readonly at: string;
    /** Of how many of all instances there are too few requests to judge them. */
    readonly unknown?: number;
    /** Whether only some requests are meant. */
    readonly narrowed?: boolean;
  },
): string {
  if (instances === 0) return 'No instance with a known machine handled these requests';
  if (!lowest)
    return illServices.length === 0
      ? `No layer is ill at ${about.at}${2 * (about.unknown ?? 0) > instances ? '; most instances have too few requests to judge their p95' : ''}`
      : `${slowServices(illServices)} slow at ${about.at}, and nothing that ${illServices.length === 1 ? 'it stands' : 'they stand'} on is ill`;
  const why = causeWords(lowest, about.reading);
  const who = lowest.alike === 0 ? `${lowest.name} is` : `${lowest.name} and ${lowest.alike} more of its kind are`;
  if (lowest.services === 0)
    return `${who} ill: ${why}; no service on ${lowest.alike === 0 ? 'it' : 'them'} is slower than usual at ${about.at}`;
  const among = about.narrowed ? ' of these requests' : '';
  return `${count(lowest.services, `service${among} suffers`, `services${among} suffer`)} from ${lowest.name}: ${why}`;
}

/** "passes is", "crew and passes are", "Three services are". */
function slowServices(names: readonly string[]): string {
  if (names.length > 2) return count(names.length, 'service is', 'services are');
  return `${[...names].sort().join(' and ')} ${names.length === 1 ? 'is' : 'are'}`;
}

/** Why something is ill: who takes what is short, else what it reads. */
export function causeWords(
  { cause }: Pick<LowestWords, 'cause'>,
  reading: { readonly rule: string; readonly value: number | null } | null,
): string {
  if (cause) return takerWords(cause);
  if (!reading) return 'its measures are beyond what is usual';
  if (reading.rule === 'killed') return 'killed or started again';
  return `${readingText(reading.rule, reading.value)} ${ruleWords(reading.rule)}`;
}

function takerWords({ name: process, container, takes, amount, of }: CauseWords): string {
  const name = container || process;
  if (takes === 'disk') return `${name} reads and writes ${formatBytes(amount)} a second`;
  if (takes === 'memory')
    return `${name} holds ${memoryText(amount)}${of > 0 ? ` of its ${memoryText(of)} of memory` : ' of memory'}`;
  return `${name} takes ${coresText(amount)}${of > 0 ? ` of its ${of} cores` : ' cores'}`;
}

function count(number: number, one: string, many: string): string {
  const WORDS = ['No', 'One', 'Two', 'Three', 'Four', 'Five', 'Six', 'Seven', 'Eight', 'Nine', 'Ten'];
  return `${WORDS[number] ?? number} ${number === 1 ? one : many}`;
}

/** How many of the ill cells above the lowest one stand on it: those it explains. @param sure whether they are nearly all */
export function aboveWords({ above, of, sure }: { readonly above: number; readonly of: number; readonly sure: boolean }): string {
  if (of === 0) return 'Nothing above it is ill';
  const stand = `${above} of ${of} ill ${of === 1 ? 'cell' : 'cells'} above ${above === 1 ? 'stands' : 'stand'} on it`;
  return sure ? stand : `${stand}: it does not explain all of them`;
}

/** Guilt in words. @param ratio how many times as long requests take there as elsewhere */
export function guiltWords(guilt: 'guilty' | 'not guilty' | 'not known', ratio: number | null): string {
  if (guilt === 'not known' || ratio === null) return 'Not enough like requests elsewhere to compare with';
  const times = `${ratio.toFixed(ratio >= 9.95 ? 0 : 1)} × as long as like requests elsewhere in the same minutes`;
  return guilt === 'guilty' ? `Requests there take ${times}` : `Not guilty: requests there take ${times}`;
}
