export const what = 'bits as numbers, no text at all';

const ROWS = 48;

export default function rows(booking) {
  const rows = [];
  for (let row = 0; row < ROWS; row++) rows.push(barcodeRow(booking, row));
  return rows;
}

function barcodeRow(booking, row) {
  const bits = new Array(booking.guests.length * 8);
  let at = 0;
  for (const guest of booking.guests) for (let bit = 0; bit < 8; bit++) bits[at++] = (guest.code >> (row + bit)) & 1;
  return bits;
}
