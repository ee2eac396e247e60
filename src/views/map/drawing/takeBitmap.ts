/** Enough for a large screen, and no more than a few milliseconds to move about. */
const MOST_PIXELS = 2400;

/**
 * Draws what a picture of paths and rectangles shows into a bitmap that covers its place. A browser scales that without drawing each line anew,
 * which it does with the picture itself for every step of a zoom.
 *
 * @param size of the picture, in its own units
 */
export function takeBitmap(picture: SVGSVGElement, bitmap: HTMLCanvasElement, size: { width: number; height: number }): void {
  const context = bitmap.getContext('2d');
  if (!context) return;
  const scale = Math.min(1, MOST_PIXELS / Math.max(size.width, size.height, 1));
  bitmap.width = Math.ceil(size.width * scale);
  bitmap.height = Math.ceil(size.height * scale);
  bitmap.style.width = `${size.width}px`;
  bitmap.style.height = `${size.height}px`;
  context.scale(scale, scale);
  for (const shape of picture.querySelectorAll<SVGPathElement | SVGRectElement>('path, rect')) {
    const { fill, stroke, strokeWidth, opacity } = getComputedStyle(shape);
    const group = shape.parentElement instanceof SVGGElement ? Number(getComputedStyle(shape.parentElement).opacity) : 1;
    const path = new Path2D(shape.getAttribute('d') ?? '');
    if (shape instanceof SVGRectElement)
      path.roundRect(
        shape.x.baseVal.value,
        shape.y.baseVal.value,
        shape.width.baseVal.value,
        shape.height.baseVal.value,
        shape.rx.baseVal.value,
      );
    context.globalAlpha = Number(opacity) * group;
    if (fill !== 'none') {
      context.fillStyle = fill;
      context.fill(path);
    }
    if (stroke !== 'none') {
      context.strokeStyle = stroke;
      context.lineWidth = Number.parseFloat(strokeWidth);
      context.stroke(path);
    }
  }
}
