/** The header in which a question brings the name by which it may be asked how far it is. */
export const QUESTION_HEADER = 'lantern-question';

/** The questions that are not answered yet, those asked first first. */
const open = new Set<string>();

/** @returns a name that nobody else has */
export function beginQuestion(): string {
  const name = Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, '0')).join('');
  open.add(name);
  return name;
}

export function endQuestion(name: string): void {
  open.delete(name);
}

export function openQuestions(): readonly string[] {
  return [...open];
}
