/** A line of a printed stack. `own` is whether it lies in the program's own code; null for lines that are no frame, such as the message. */
export interface StackLine {
  readonly text: string;
  readonly own: boolean | null;
}

/** Frames as the common runtimes print them. */
const FRAME = /^\s*at\s|^\s*File "|^\s+\S+\.go:\d+|^\S+\(.*\)$|^goroutine /;
/** Where runtimes and libraries lie. */
const LIBRARY =
  /node_modules|node:internal|\(node:|<anonymous>|\b(?:java|javax|jdk|jakarta|sun|kotlin|scala|org|io|com)\.[a-z]|site-packages|lib\/python|importlib|\/usr\/local\/go|\bgo\/pkg\/mod|^(?:runtime|net\/http|reflect|sync)[./]|vendor\//;

/** Takes a printed stack apart into frames of one's own and of libraries. */
export function readStack(stack: string): StackLine[] {
  return stack
    .split('\n')
    .filter((text) => text.trim() !== '')
    .map((text) => ({ text, own: FRAME.test(text) ? !LIBRARY.test(text) : null }));
}

/** The first frame of one's own code: where to look first. */
export function firstOwnFrame(stack: string): string | undefined {
  return readStack(stack)
    .find((it) => it.own)
    ?.text.trim();
}
