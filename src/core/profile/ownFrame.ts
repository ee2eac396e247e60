import type { Frame } from './stackSample.ts';

/** Where runtimes and libraries lie, by file. */
const LIBRARY_FILE =
  /node_modules|^node:|site-packages|lib\/python|\/usr\/local\/go|go\/pkg\/mod|(?:^|\/)vendor\/|^(?:java|javax|jdk|jakarta|sun|kotlin|scala|org|io|com)\/|\.s$/;
/** Packages that come with a runtime, by how a frame is named. */
const LIBRARY_NAME =
  /^(?:java|javax|jdk|jakarta|sun|kotlin|scala)\.|^(?:runtime|net|reflect|sync|sort|bytes|strings|encoding|bufio|io|os|syscall|time|math|crypto|compress|fmt|database)(?:\/[a-z0-9]+)*\.[A-Z(a-z]/;

/** Whether a frame lies in the program's own code, as far as its name and file tell. */
export function isOwnFrame({ name, file }: Frame): boolean {
  return !LIBRARY_FILE.test(file) && !(file !== '' && LIBRARY_NAME.test(name) && !file.startsWith('src/'));
}
