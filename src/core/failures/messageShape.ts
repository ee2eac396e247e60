/**
 * What is the same in messages of one kind: what differs from case to case (ids, numbers, times, quoted texts, references) stands as "…".
 */
export function messageShape(message: string): string {
  return message
    .split('\n', 1)[0]
    .slice(0, 400)
    .replace(/"[^"]*"|'[^']*'/g, '…')
    .replace(/\b[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}\b/gi, '…')
    .replace(/\b(?=\w*\d)[\w]{6,}\b/g, '…')
    .replace(/\d+(?:[.,:]\d+)*/g, '…')
    .replace(/…(?:[-/.]…)+/g, '…');
}
