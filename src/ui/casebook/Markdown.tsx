import MarkdownIt from 'markdown-it';
import styles from './Casebook.module.css';

/** HTML in the text is text, and pictures from elsewhere are not fetched: a case is opened by others than who wrote it. */
const markdown = new MarkdownIt({ html: false, linkify: false, breaks: true }).disable('image');

markdown.renderer.rules.link_open = (tokens, at, options, _, self) => {
  tokens[at].attrSet('rel', 'noreferrer nofollow');
  return self.renderToken(tokens, at, options);
};

/** A text of Markdown as HTML that is safe to show. */
export function markdownHtml(text: string): string {
  return markdown.render(text);
}

/** A text with emphasis, links and code, within a line. */
export function MarkdownLine({ text }: { text: string }) {
  // biome-ignore lint/security/noDangerouslySetInnerHtml: markdown-it escapes everything that is not Markdown
  return <span dangerouslySetInnerHTML={{ __html: markdown.renderInline(text) }} />;
}

/** A text of several paragraphs. */
export function Markdown({ text }: { text: string }) {
  // biome-ignore lint/security/noDangerouslySetInnerHtml: as above
  return <div className={styles.markdown} dangerouslySetInnerHTML={{ __html: markdownHtml(text) }} />;
}
