import type { Attributes } from '../../src/core/trace/span.ts';
import type { Customer } from '../company/customers.ts';
import type { Journey, Outcome } from '../services/gangway.ts';
import type { Chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { event, reporter } from '../telemetry/events.ts';
import type { World } from '../world/world.ts';

const ISLANDS = [
  ['Tern', 6],
  ['Marram', 4],
  ['Skerry Holm', 3],
  ['Little Auk', 3],
  ['Fennick', 2],
  ['Saltern', 2],
] as const;
const BROWSERS = [
  ['Gullwing 14', 5],
  ['Gullwing 13', 2],
  ['Halyard 9', 3],
] as const;
const PHONES = [
  ['Fennel 7', 3],
  ['Fennel 6', 2],
  ['Tansy 12', 4],
  ['Yarrow S', 2],
] as const;

/** What a visitor has in hand: it tells of pages, actions and troubles. A kiosk tells nothing of the kind, it is a service. */
export class Device {
  readonly #world: World;
  readonly #luck: Chance;
  readonly #customer: Customer;
  readonly #resource: Attributes;
  readonly #version: string;
  readonly #about: Record<string, string>;
  #order = 0;

  constructor(world: World, luck: Chance, customer: Customer) {
    this.#world = world;
    this.#luck = luck;
    this.#customer = customer;
    const region = luck.pick<string>(ISLANDS);
    const isPhone = customer.channel === 'phone';
    const newest = world.effects.valueOf('share of deck-app 6.2');
    const phoneVersion = luck.happens(newest)
      ? '6.2'
      : luck.pick([
          ['6.1', 6],
          ['5.9', 2],
        ] as const);
    this.#version = isPhone ? phoneVersion : world.effects.valueOf('quayside-web 2.31') > 0 ? '2.31' : '2.30';
    const app = isPhone ? 'deck-app' : 'quayside-web';
    this.#resource = resourceOf(app, this.#version);
    this.#about = isPhone
      ? { region, device: luck.pick<string>(PHONES), version: this.#version }
      : { region, browser: luck.pick<string>(BROWSERS), version: this.#version };
  }

  get #isBlocked(): boolean {
    return this.#customer.channel === 'web' && this.#version === '2.31';
  }

  /** A page or screen comes up. Gives whether the visitor stays. */
  *openPage(page: string): Process<boolean> {
    const { channel } = this.#customer;
    const { simulation } = this.#world;
    if (channel === 'kiosk') {
      yield* simulation.sleep(this.#luck.logNormal(0.4 * SECOND, 0.2));
      return true;
    }
    const slow = this.#about.region === 'Saltern' ? 1.7 : 1;
    const phases = {
      'dns.ms': this.#ms(6 * slow, 0.6),
      'connect.ms': this.#ms(24 * slow, 0.4),
      'tls.ms': this.#ms(31 * slow, 0.3),
      'request.ms': this.#ms(60 * slow, 0.4),
      'response.ms': this.#ms(35 * slow, 0.5),
      'scripts.ms': this.#ms(channel === 'web' ? 240 : 90, 0.3),
    };
    const beacon = this.#isBlocked ? this.#ms(5200, 0.45) : this.#ms(110, 0.4);
    const load = Object.values(phases).reduce((sum, it) => sum + it, 0) + (this.#isBlocked ? beacon : 0);
    this.#tell('page', page, page, load, { detail: { ...phases } });
    if (channel === 'web') {
      this.#tell('resource', page, 'https://www.osier-reach.example/app.js', this.#ms(130 * slow, 0.4), {
        detail: { bytes: 184_000 },
      });
      this.#tell('resource', page, 'https://beacon-tags.example/tag.js', beacon, { detail: { bytes: 61_000, party: 'third' } });
      this.#tell('vital', page, 'LCP', load * 0.9, {});
      this.#tell('vital', page, 'INP', this.#isBlocked ? this.#ms(620, 0.4) : this.#ms(70, 0.5), {});
      this.#tell('vital', page, 'CLS', null, { detail: { value: Number((this.#luck.unit() * 0.12).toFixed(3)) } });
    }
    yield* simulation.sleep(load * MS);
    return !(load > 4000 && this.#luck.happens(0.3));
  }

  /** A button is pressed. Gives whether anything came of it. */
  *press(action: string): Process<boolean> {
    if (!this.#isBlocked || !this.#luck.happens(0.55)) return true;
    // The button is there before what it does is loaded.
    const clicks = this.#luck.between(3, 7);
    for (let click = 0; click < clicks; click++) {
      this.#tell('action', '', action, null, { detail: { effect: false } });
      yield* this.#world.simulation.sleep(this.#luck.logNormal(0.5 * SECOND, 0.4));
    }
    this.#tell('struggle', '', action, null, { detail: { clicks } });
    return this.#luck.happens(0.45);
  }

  /** What the company answered. */
  answered(action: string, page: string, { traceId, status, nanos }: Outcome): void {
    if (this.#customer.channel === 'kiosk') return;
    this.#tell('action', page, action, Math.round(nanos / MS), { traceId, detail: { effect: true, status } });
    if (status >= 500) this.#tell('error', page, `the company answered ${status}`, null, { traceId, detail: { status } });
  }

  crashesAfter(journey: Journey): boolean {
    return (
      journey === 'open-a-manifest' && this.#version === '6.2' && this.#about.device === 'Fennel 7' && this.#luck.happens(0.85)
    );
  }

  crash(page: string): void {
    const stack = 'ManifestList.rowAt(ManifestList:88)\nListView.draw(ListView:412)\nScreen.refresh(Screen:57)';
    this.#tell('crash', page, 'IndexOutOfBounds: row 0 of 0', null, { detail: { stack } });
  }

  #ms(median: number, spread: number): number {
    return Math.round(this.#luck.logNormal(median, spread));
  }

  #tell(
    kind: string,
    page: string,
    name: string,
    duration: number | null,
    { traceId, detail = {} }: { readonly traceId?: string; readonly detail?: Attributes },
  ): void {
    if (this.#customer.channel === 'kiosk') return;
    event(
      this.#world,
      this.#resource,
      'lantern.visit',
      {
        'session.id': this.#customer.sessionId,
        'user.id': this.#customer.userId,
        'lantern.visit.kind': kind,
        'url.path': page,
        'lantern.visit.name': name,
        ...(duration === null ? {} : { 'lantern.visit.duration_ms': duration }),
        'lantern.visit.order': this.#order++,
        ...(traceId ? { 'lantern.trace_id': traceId } : {}),
        'lantern.visit.detail': { ...this.#about, ...detail },
      },
      traceId ? { traceId } : {},
    );
  }
}

function resourceOf(app: string, version: string): Attributes {
  return reporter(`${app} ${version}`, { 'service.name': app, 'service.version': version, 'service.namespace': 'Booking' });
}
