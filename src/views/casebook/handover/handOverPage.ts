import { createElement } from 'react';
import { renderToStaticMarkup } from 'react-dom/server';
import type { HandOver } from '../../../core/casebook/handover/handOver.ts';
import evidence from '../../../ui/evidence/evidence.css?inline';
import tokens from '../../../ui/theme/tokens.css?inline';
import { HandOverDocument } from './HandOverDocument.tsx';
import sheet from './handOver.css?inline';

/** Nothing is fetched and nothing runs, whatever the evidence says. */
const POLICY = "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'";

/** A hand-over as HTML in one file: pictures inside, no script, nothing that is fetched. */
export function handOverPage(handOver: HandOver, isFrozen: boolean): string {
  const body = renderToStaticMarkup(createElement(HandOverDocument, { handOver, isFrozen }));
  const title = escaped(handOver.title || `Case ${handOver.number}`);
  return `<!doctype html>
<html lang="en" data-scheme="paper">
<head>
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="${POLICY}">
<meta name="viewport" content="width=device-width">
<meta name="referrer" content="no-referrer">
<title>${title}</title>
<style>${[tokens, evidence, sheet].join('\n')}</style>
</head>
<body>
${body}
</body>
</html>
`;
}

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (mark) => `&#${mark.charCodeAt(0)};`);
}

/** The same as an answer. @param name of the file when it is saved; empty to show it */
export function handOverAnswer(handOver: HandOver, { isFrozen, name }: { isFrozen: boolean; name: string }): Response {
  return new Response(handOverPage(handOver, isFrozen), {
    headers: {
      'content-type': 'text/html; charset=utf-8',
      'content-security-policy': `${POLICY}; frame-ancestors 'self'`,
      'x-content-type-options': 'nosniff',
      'referrer-policy': 'no-referrer',
      'cache-control': 'no-store',
      ...(name === '' ? {} : { 'content-disposition': `attachment; filename="${name}"` }),
    },
  });
}
