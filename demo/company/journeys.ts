/** What people come to do at Osier Reach, by the operations of gangway by which it comes in, and what is promised of it. */
export const JOURNEYS = [
  { name: 'Search sailings', entries: ['GET /sailings'], objective: { withinMs: 500, share: 0.98 } },
  { name: 'Place a hold', entries: ['POST /holds'], objective: { withinMs: 1000, share: 0.98 } },
  { name: 'Open a manifest', entries: ['GET /manifests/{sailing}'], objective: { withinMs: 1000, share: 0.95 } },
  { name: 'Confirm a booking', entries: ['POST /bookings/{ref}/confirm'], objective: { share: 0.99 } },
  { name: 'Show a pass', entries: ['GET /passes/{ref}'], objective: { withinMs: 1000, share: 0.95 } },
  { name: 'Change a booking', entries: ['PUT /bookings/{ref}'] },
  { name: 'Crew roster', entries: ['GET /crew/roster/{vessel}'] },
  { name: 'Vessel position', entries: ['GET /vessels/{id}/position'] },
  { name: 'Sign in', entries: ['POST /sign-in'] },
  { name: 'Notices inbox', entries: ['GET /notices'] },
];
