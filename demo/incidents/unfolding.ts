import type { Chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MINUTE } from '../simulation/units.ts';
import { type Change, reportChange } from '../telemetry/changes.ts';
import { imageOf, reportPod, reportReplicas } from '../telemetry/inventory.ts';
import { reportPodEvent } from '../telemetry/objectEvents.ts';
import type { Instance } from '../world/instance.ts';
import type { World } from '../world/world.ts';

/**
 * An incident as it comes about in a world. A world may begin in the middle of it: what lies before happens at once, and is not told of,
 * since whoever was there then has told of it.
 */
export class Unfolding {
  readonly world: World;
  readonly chance: Chance;
  /** When it begins and ends, simulated nanoseconds; an end that never comes is infinite. */
  readonly begin: number;
  readonly end: number;
  #isPast: boolean;

  constructor(world: World, chance: Chance, begin: number, end: number) {
    this.world = world;
    this.chance = chance;
    this.begin = begin;
    this.end = end;
    this.#isPast = begin < 0;
  }

  /** Waits until so many minutes after the beginning. */
  *minutes(after: number): Process {
    yield* this.#until(this.begin + after * MINUTE);
  }

  /** Waits until the incident ends. One that does not end waits for ever. */
  *over(): Process {
    if (this.end === Number.POSITIVE_INFINITY) {
      this.#isPast = false;
      yield () => {};
    }
    yield* this.#until(this.end);
  }

  *#until(time: number): Process {
    const { simulation } = this.world;
    this.#isPast = time < simulation.now;
    if (!this.#isPast) yield* simulation.sleep(time - simulation.now);
  }

  get hasEnded(): boolean {
    return this.world.simulation.now >= this.end;
  }

  tell(change: Change, instance?: Instance): void {
    if (!this.#isPast) reportChange(this.world, change, instance?.resource);
  }

  instances(service: string): readonly Instance[] {
    return this.world.instances.get(service)!;
  }

  /** Puts another version on every instance of a service, one after the other. */
  *rollOut(service: string, version: string, minutesApart = 2, from = 0): Process {
    for (const [at, instance] of this.instances(service).entries()) {
      yield* this.minutes(from + at * minutesApart);
      this.deploy(instance, version);
    }
  }

  deploy(instance: Instance, version: string): void {
    const { service } = instance;
    if (!this.#isPast) instance.renew(version);
    else instance.resource = { ...instance.resource, 'service.version': version };
    this.tell({ kind: 'deployment', title: `${service} ${version} on ${instance.id}`, version, actor: 'release-desk' }, instance);
    if (this.#isPast) return;
    reportReplicas(this.world, this.instances(service));
    reportPod(this.world, instance);
    reportPodEvent(this.world, instance, 'Pulled', `image ${imageOf(service, version)} fetched`);
    reportPodEvent(this.world, instance, 'Started', `started with ${version}`);
  }

  /** Puts the version back that was there before. */
  rollBack(service: string): void {
    for (const instance of this.instances(service)) this.deploy(instance, instance.form.version);
  }
}
