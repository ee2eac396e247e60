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

/** A text as a block of code: no run of backticks in it ends the block. */
export function codeBlock(text: string): string {
  const longest = Math.max(2, ...(text.match(/`+/g) ?? []).map((run) => run.length));
  const fence = '`'.repeat(longest + 1);
  return `${fence}\n${text.replaceAll('\r', '')}\n${fence}`;
}

/** A table of Markdown. @param rows cells as they are read; what has a meaning in Markdown is disarmed here */
export function markdownTable(head: readonly string[], rows: readonly (readonly string[])[], right: readonly boolean[]): string {
  const line = (cells: readonly string[]) => `| ${cells.map((cell) => plainInMarkdown(cell)).join(' | ')} |`;
  return [line(head), `| ${right.map((it) => (it ? '---:' : '---')).join(' | ')} |`, ...rows.map(line)].join('\n');
}
