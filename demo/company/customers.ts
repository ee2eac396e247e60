import type { Attributes } from '../../src/core/trace/span.ts';
import type { Chance } from '../simulation/chance.ts';

export type VehicleClass = 'foot' | 'cycle' | 'car' | 'van' | 'coach' | 'freight';
export type Channel = 'web' | 'phone' | 'kiosk';

/** Who asks, and for what. */
export interface Customer {
  readonly channel: Channel;
  readonly vehicle: VehicleClass;
  readonly route: string;
  readonly partySize: number;
  /** How far ahead the sailing is that they look for. */
  readonly daysAhead: number;
  readonly userId: string;
  readonly sessionId: string;
  readonly bookingRef: string;
  /** Crowns. */
  readonly bookingValue: number;
}

export const ROUTES = [
  ['tern-marram', 5],
  ['marram-skerry-holm', 3],
  ['tern-little-auk', 3],
  ['little-auk-fennick', 2],
  ['fennick-saltern', 2],
  ['skerry-holm-saltern', 1],
] as const;

const CHANNELS = [
  ['web', 50],
  ['phone', 35],
  ['kiosk', 15],
] as const;

const VEHICLES = [
  ['foot', 38],
  ['cycle', 10],
  ['car', 30],
  ['van', 8],
  ['coach', 8],
  ['freight', 6],
] as const;

const PRICE: Record<VehicleClass, number> = { foot: 42, cycle: 55, car: 180, van: 240, coach: 1250, freight: 980 };
/** Places a party takes on the vehicle deck: the size of the packing that berths has to solve. */
const SLOTS: Record<VehicleClass, readonly [number, number]> = {
  foot: [0, 0],
  cycle: [2, 8],
  car: [8, 28],
  van: [14, 40],
  coach: [300, 440],
  freight: [260, 410],
};

export function someCustomer(chance: Chance): Customer {
  const vehicle = chance.pick<VehicleClass>(VEHICLES);
  const partySize = vehicle === 'coach' ? chance.between(24, 52) : chance.between(1, 6);
  return {
    channel: chance.pick<Channel>(CHANNELS),
    vehicle,
    route: chance.pick<string>(ROUTES),
    partySize,
    daysAhead: chance.happens(0.25) ? chance.between(31, 160) : chance.between(0, 30),
    userId: `guest-${chance.between(1000, 4999)}`,
    sessionId: chance.hex(12),
    bookingRef: `OR${chance.hex(6).toUpperCase()}`,
    bookingValue: PRICE[vehicle] + 18 * partySize,
  };
}

export function slotsOf(customer: Customer, chance: Chance): number {
  return chance.between(...SLOTS[customer.vehicle]);
}

/** What the entry span says about a customer. */
export function describeCustomer(customer: Customer): Attributes {
  return {
    'ferry.channel': customer.channel,
    'ferry.route': customer.route,
    'enduser.id': customer.userId,
    'session.id': customer.sessionId,
  };
}

/** What a booking adds. */
export function describeBooking(customer: Customer): Attributes {
  return {
    'ferry.vehicle_class': customer.vehicle,
    'ferry.party_size': customer.partySize,
    'booking.ref': customer.bookingRef,
    'booking.value': customer.bookingValue,
  };
}
