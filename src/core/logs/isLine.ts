/** Whether a log record is a line that people read, and no event of the project's own. @param eventName empty for none */
export function isLine(eventName: string): boolean {
  return !eventName.startsWith('lantern.');
}
