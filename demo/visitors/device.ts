import type { Attributes } from '../../src/core/trace/span.ts';
import type { Customer } from '../company/customers.ts';
import type { Journey, Outcome } from '../services/gangway.ts';
import { type Chance, chance } from '../simulation/chance.ts';
import type { Process } from '../simulation/simulation.ts';
import { MS, SECOND } from '../simulation/units.ts';
import { event, reporter } from '../telemetry/events.ts';
import { clock, type World } from '../world/world.ts';

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

const DESKS = [
  ['desk', 58],
  ['tablet', 42],
] as const;
const APP_SCRIPT = 'https://www.osier-reach.example/app.js';
const TAG_SCRIPT = 'https://beacon-tags.example/tag.js';
/** The share of visits from tabs that were opened before the last release. */
const OLD_TABS = 0.1;
/** A browser reports a task that keeps the page busy for at least so long. */
const LONG_TASK_MS = 50;

/** What a visitor has in hand: it tells of pages, actions and troubles. A kiosk tells nothing of the kind, it is a service. */
export class Device {
  readonly #world: World;
  readonly #luck: Chance;
  /** For what is only told: it changes nothing in the visit. */
  readonly #noise: Chance;
  readonly #customer: Customer;
  readonly #resource: Attributes;
  readonly #version: string;
  readonly #about: Record<string, string | number | boolean>;
  #order = 0;
  #page = '';
  #view = 0;
  #isAboutTold = false;

  /** @param seed of the visit */
  constructor(world: World, luck: Chance, customer: Customer, seed: number) {
    this.#world = world;
    this.#luck = luck;
    this.#noise = chance(seed ^ 0x5f37_59df);
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
    // A tab that was left open goes on with the version that it was opened with.
    const isOldTab = this.#noise.happens(OLD_TABS);
    this.#version = isPhone ? phoneVersion : world.effects.valueOf('quayside-web 2.31') > 0 && !isOldTab ? '2.31' : '2.30';
    const app = isPhone ? 'deck-app' : 'quayside-web';
    this.#resource = resourceOf(app, this.#version);
    const common = {
      region,
      version: this.#version,
      new: this.#noise.happens(isPhone ? 0.16 : 0.38),
      vehicle: customer.vehicle,
      'party size': customer.partySize > 4 ? '5 and more' : customer.partySize > 1 ? '2 to 4' : '1',
    };
    this.#about = isPhone
      ? { ...common, device: luck.pick<string>(PHONES) }
      : { ...common, browser: luck.pick<string>(BROWSERS), device: this.#noise.pick<string>(DESKS) };
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
    };
    const scripts = this.#ms(channel === 'web' ? 240 : 90, 0.3);
    const beacon = this.#isBlocked ? this.#ms(5200, 0.45) : this.#ms(110, 0.4);
    const document = Object.values(phases).reduce((sum, it) => sum + it, 0);
    const load = document + scripts + (this.#isBlocked ? beacon : 0);
    this.#page = page;
    this.#view++;
    if (channel === 'phone' && this.#view === 1)
      this.#tell('start', 'cold start', Math.round(this.#noise.logNormal(860, 0.35)), {});
    this.#tell('page', page, load, {
      detail: { ...phases, trigger: this.#view === 1 || channel === 'phone' ? 'load' : 'route' },
    });
    if (channel === 'web') {
      const fetched = Math.min(this.#ms(130 * slow, 0.4), Math.round(0.35 * scripts));
      this.#tellScripts(document, scripts, fetched, beacon);
      this.#tell('vital', 'TTFB', document - phases['response.ms'], {});
      this.#tell('vital', 'FCP', document + (this.#isBlocked ? beacon : 0) + 40, {});
      this.#tell('vital', 'LCP', load * 0.9, {});
      this.#tell('vital', 'INP', this.#isBlocked ? this.#ms(620, 0.4) : this.#ms(70, 0.5), {});
      this.#tell('vital', 'CLS', null, { detail: { value: Number((this.#luck.unit() * 0.12).toFixed(3)) } });
    }
    yield* simulation.sleep(load * MS);
    return !(load > 4000 && this.#luck.happens(0.3));
  }

  /**
   * What a page loads and runs after its document. A script in its head that comes before anything else keeps all the rest waiting.
   * Milliseconds after the beginning of the view.
   */
  #tellScripts(document: number, scripts: number, fetched: number, beacon: number): void {
    const running = this.#isBlocked ? Math.round(0.18 * beacon) : Math.round(0.2 * beacon);
    const own = { bytes: 184_000, 'request.ms': Math.round(0.6 * fetched), 'response.ms': fetched - Math.round(0.6 * fetched) };
    this.#tell('resource', APP_SCRIPT, fetched, { afterMs: document, detail: own });
    this.#tell('resource', TAG_SCRIPT, beacon - running, { afterMs: document, detail: { bytes: 61_000, party: 'third' } });
    if (running >= LONG_TASK_MS)
      this.#tell('task', TAG_SCRIPT, running, { afterMs: document + beacon - running, detail: { party: 'third' } });
    const begin = document + (this.#isBlocked ? beacon : fetched);
    const until = document + scripts + (this.#isBlocked ? beacon : 0);
    if (until - begin >= LONG_TASK_MS) this.#tell('task', APP_SCRIPT, until - begin, { afterMs: begin });
  }

  /** A button is pressed. Gives whether anything came of it. */
  *press(action: string): Process<boolean> {
    if (!this.#isBlocked || !this.#luck.happens(0.55)) return true;
    // The button is there before what it does is loaded.
    const clicks = this.#luck.between(3, 7);
    for (let click = 0; click < clicks; click++) {
      this.#tell('action', action, null, { detail: { effect: 'none', element: 'button' } });
      yield* this.#world.simulation.sleep(this.#luck.logNormal(0.5 * SECOND, 0.4));
    }
    if (this.#noise.happens(0.03)) {
      this.#tell('action', action, null, { detail: { effect: 'none', element: 'button' } });
      const stack = 'onHold (app/hold.js:88)\nonPress (app/button.js:31)';
      this.#tell('error', 'beaconQueue is not defined', null, { afterMs: 40, detail: { stack } });
    }
    return this.#luck.happens(0.45);
  }

  /** What the company answered. */
  answered(action: string, { traceId, status, nanos }: Outcome): void {
    const detail = { effect: 'request', element: 'button', status };
    this.#tell('action', action, Math.round(nanos / 1_000) / 1_000, { traceId, detail, afterMs: -nanos / MS });
    if (status >= 500) this.#tell('error', `the company answered ${status}`, null, { traceId, detail: { status } });
  }

  crashesAfter(journey: Journey): boolean {
    return (
      journey === 'open-a-manifest' && this.#version === '6.2' && this.#about.device === 'Fennel 7' && this.#luck.happens(0.85)
    );
  }

  crash(): void {
    const stack = 'ManifestList.rowAt(ManifestList:88)\nListView.draw(ListView:412)\nScreen.refresh(Screen:57)';
    this.#tell('crash', 'IndexOutOfBounds: row 0 of 0', null, { detail: { stack } });
  }

  /** The page or application is closed. */
  leave(): void {
    if (this.#page !== '') this.#tell('leave', '', null, {});
  }

  #ms(median: number, spread: number): number {
    return Math.round(this.#luck.logNormal(median, spread));
  }

  #tell(
    kind: string,
    name: string,
    duration: number | null,
    { traceId, detail = {}, afterMs = 0 }: { readonly traceId?: string; readonly detail?: Attributes; readonly afterMs?: number },
  ): void {
    if (this.#customer.channel === 'kiosk') return;
    // Facts of the whole visit are told once.
    const about: Attributes = this.#isAboutTold ? {} : { 'lantern.visit.about': this.#about };
    this.#isAboutTold = true;
    event(
      this.#world,
      this.#resource,
      'lantern.visit',
      {
        'session.id': this.#customer.sessionId,
        'user.id': this.#customer.userId,
        'lantern.visit.kind': kind,
        'url.path': this.#page,
        'lantern.visit.name': name,
        ...(duration === null ? {} : { 'lantern.visit.duration_ms': duration }),
        'lantern.visit.order': this.#order++,
        ...(traceId ? { 'lantern.trace_id': traceId } : {}),
        'lantern.visit.detail': { view: `${this.#view}`, ...detail },
        ...about,
      },
      traceId ? { traceId } : {},
      clock(this.#world) + BigInt(Math.round(afterMs * MS)),
    );
  }
}

function resourceOf(app: string, version: string): Attributes {
  return reporter(`${app} ${version}`, { 'service.name': app, 'service.version': version, 'service.namespace': 'Booking' });
}
