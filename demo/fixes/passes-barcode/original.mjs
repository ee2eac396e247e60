export const what = 'as it is, 3.9.0';

const ROWS = 48;
const lines = [];

/** What the debug logger does with a line: nobody keeps it. */
function debug(line) {
  lines[0] = line.length;
}

export default function rows(booking) {
  const rows = [];
  for (let row = 0; row < ROWS; row++) {
    const text = barcodeRow(booking, row);
    rows.push(text.split('').map(Number));
    // biome-ignore lint/style/useTemplate: the code as it is in the service
    debug(`row ${row} of barcode for ${booking.ref}: ` + JSON.stringify({ ref: booking.ref, row, text }));
  }
  return rows;
}

function barcodeRow(booking, row) {
  let text = '';
  for (const guest of booking.guests) for (let bit = 0; bit < 8; bit++) text = text + String((guest.code >> (row + bit)) & 1);
  return text;
}
