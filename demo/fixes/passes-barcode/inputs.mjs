/** Bookings of one to sixty guests. The codes are the same in every run. */
export const inputs = Array.from({ length: 60 }, (_, at) => ({
  ref: `OR${String(1000 + at)}`,
  guests: Array.from({ length: 1 + at }, (_, guest) => ({ code: ((at + 1) * 7919 + guest * 104729) & 0x7fffff })),
}));

export const sizeOf = (booking) => booking.guests.length;
export const sizeName = 'guests';
