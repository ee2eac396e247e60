interface Points {
  readonly x: readonly number[];
  readonly y: readonly number[];
  /** 0 fine, 1 with a failure inside, 2 failed. */
  readonly outcome: readonly number[];
}

/** Draws requests: fine ones as dots, those with a failure inside as open diamonds, failed ones as crosses, on top. */
export function drawPoints(canvas: HTMLCanvasElement, { x, y, outcome }: Points, width: number, height: number): void {
  const ratio = window.devicePixelRatio || 1;
  canvas.width = width * ratio;
  canvas.height = height * ratio;
  const pen = canvas.getContext('2d');
  if (!pen) return;
  const style = getComputedStyle(canvas);
  pen.scale(ratio, ratio);
  pen.fillStyle = style.getPropertyValue('--text-2');
  pen.globalAlpha = x.length > 1500 ? 0.45 : 0.7;
  for (let at = 0; at < x.length; at++) if (outcome[at] === 0) pen.fillRect(x[at] - 1, y[at] - 1, 2, 2);
  pen.globalAlpha = 1;
  pen.lineWidth = 1.3;
  pen.strokeStyle = style.getPropertyValue('--strained');
  pen.beginPath();
  for (let at = 0; at < x.length; at++) {
    if (outcome[at] !== 1) continue;
    pen.moveTo(x[at], y[at] - 3.5);
    pen.lineTo(x[at] + 3.5, y[at]);
    pen.lineTo(x[at], y[at] + 3.5);
    pen.lineTo(x[at] - 3.5, y[at]);
    pen.closePath();
  }
  pen.stroke();
  pen.strokeStyle = style.getPropertyValue('--failing');
  pen.lineWidth = 1.6;
  pen.beginPath();
  for (let at = 0; at < x.length; at++) {
    if (outcome[at] !== 2) continue;
    pen.moveTo(x[at] - 3, y[at] - 3);
    pen.lineTo(x[at] + 3, y[at] + 3);
    pen.moveTo(x[at] + 3, y[at] - 3);
    pen.lineTo(x[at] - 3, y[at] + 3);
  }
  pen.stroke();
}
