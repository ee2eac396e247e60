/** Characters that mean something within a line of Markdown. */
const MEANING = /[\\`*[\]<>|~]/g;

/** A text from data as Markdown that shows just it: no emphasis, link, picture, table or HTML comes of it, and it stays in its line. */
export function plainInMarkdown(text: string): string {
  return (
    text
      .replace(/[ \t\r\n\f\v]+/g, ' ')
      .replace(/&(?=#?\w+;)/g, '&amp;')
      .replace(MEANING, (mark) => (mark === '<' ? '&lt;' : mark === '>' ? '&gt;' : `\\${mark}`))
      // What would begin a heading, a list or a rule at the start of a line.
      .replace(
        /^(\s*)(#(?=[#\s]|$)|[-+=](?=[-+=\s]|$)|\d+[.)](?=\s|$))/,
        (_, space: string, mark: string) => `${space}${mark.slice(0, -1)}\\${mark.slice(-1)}`,
      )
      .replace(/(https?|ftp|mailto|www)(?=[:.])/gi, (name) => `${name}\u200b`)
  );
}

/** Markdown that a person wrote, without HTML in it. */
export function withoutHtml(markdown: string): string {
  return markdown.replace(/<(?=[a-z/!?])/gi, '&lt;');
}

/** A text as a block of code: no run of backticks in it ends the block. @param language as it stands after the fence; a constant, none by default */
export function codeBlock(text: string, language = ''): string {
  const fence = '`'.repeat(Math.max(2, longestTicks(text)) + 1);
  return `${fence}${language}\n${text.replaceAll('\r', '')}\n${fence}`;
}

/** A text as code within a line: no run of backticks in it ends the code. */
export function codeSpan(text: string): string {
  const fence = '`'.repeat(longestTicks(text) + 1);
  const inLine = text.replace(/\s+/g, ' ');
  // A blank on either side is not shown, and keeps backticks of the text from those of the fence.
  return inLine.includes('`') ? `${fence} ${inLine} ${fence}` : `${fence}${inLine}${fence}`;
}

function longestTicks(text: string): number {
  return Math.max(0, ...(text.match(/`+/g) ?? []).map((run) => run.length));
}

/** A table of Markdown. @param rows cells as they are read; what has a meaning in Markdown is disarmed here */
export function markdownTable(head: readonly string[], rows: readonly (readonly string[])[], right: readonly boolean[]): string {
  const line = (cells: readonly string[]) => `| ${cells.map((cell) => plainInMarkdown(cell)).join(' | ')} |`;
  return [line(head), `| ${right.map((it) => (it ? '---:' : '---')).join(' | ')} |`, ...rows.map(line)].join('\n');
}
