import { html, raw } from 'hono/html';

// The pages that others see: from links in mails, and forms. They load nothing, so that any browser and any reader shows
// them; what is a form works without a script.

/** What a template of `hono/html` gives: text that is escaped already. */
export type Html = ReturnType<typeof html>;

export interface PublicPage {
  /** The business's name above the title; '' where none is set. */
  readonly business: string;
  readonly title: string;
  readonly body: Html | string;
  /** The colour of buttons and lines, as #rrggbb; dark enough for white words on it. */
  readonly colour?: string | undefined;
  /** Wider, for tables. */
  readonly isWide?: boolean;
  /** A script of ours, allowed by its digest in the page's policy. */
  readonly script?: string;
}

const usualColour = '#0f5b50';

/** A page that others see. */
export const publicPage = async ({ business, title, body, colour, isWide, script }: PublicPage): Promise<string> =>
  String(
    await html`<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex">
<title>${title}</title>
<style>${raw(styles(colour ?? usualColour, isWide ? '60rem' : '34rem'))}</style>
</head>
<body><main>
${business === '' ? '' : html`<p class="business">${business}</p>`}
<h1>${title}</h1>
${body}
</main>${script === undefined ? '' : raw(`<script>${script}</script>`)}</body>
</html>
`,
  );

const styles = (colour: string, width: string): string => `
  :root { color-scheme: light dark; --main: ${colour}; --line: #8a8f8c; --soft: #5c6361; --bad: #9c2f23; --paper: #fff; --tint: #f3f5f2; }
  @media (prefers-color-scheme: dark) { :root { --soft: #a9b1ae; --bad: #ff9d8f; --paper: #1b1f1e; --tint: #252b29; --line: #7d8683; } }
  * { box-sizing: border-box; }
  body { font: 1.05rem/1.5 system-ui, sans-serif; max-width: ${width}; margin: 5vh auto; padding: 0 1.1rem 3rem; background: var(--paper); overflow-wrap: anywhere; }
  .business { color: var(--soft); margin: 0 0 .3rem; }
  h1 { font-size: 1.5rem; line-height: 1.25; margin: 0 0 1rem; }
  h2 { font-size: 1.1rem; margin: 0 0 .25rem; }
  .soft, .help { color: var(--soft); } .help { font-size: .95rem; margin: 0 0 .3rem; }
  .bad { color: var(--bad); font-weight: 600; margin: .25rem 0 0; }
  .note { background: var(--tint); border-left: 4px solid var(--main); padding: .6rem .9rem; margin: 0 0 1.2rem; }
  .words { white-space: pre-wrap; }
  .question { margin: 0 0 1.3rem; border: 0; padding: 0; min-width: 0; }
  label, legend { display: block; font-weight: 600; padding: 0; } .choice { font-weight: 400; display: flex; gap: .55rem; align-items: flex-start; padding: .3rem 0; min-height: 2.2rem; }
  .choice input { width: 1.25rem; height: 1.25rem; margin-top: .15rem; accent-color: var(--main); flex: none; }
  input:not([type=radio], [type=checkbox]), select, textarea { font: inherit; width: 100%; padding: .55rem .65rem; border: 1px solid var(--line); border-radius: 6px; background: var(--paper); color: inherit; min-height: 2.75rem; }
  textarea { min-height: 7rem; }
  [aria-invalid=true] { border-color: var(--bad) !important; }
  button { font: inherit; padding: .65rem 1.4rem; min-height: 2.75rem; border-radius: 6px; border: 1px solid var(--main); background: var(--main); color: #fff; cursor: pointer; }
  button.plain { background: var(--paper); color: inherit; border-color: var(--line); }
  :focus-visible { outline: 3px solid #c98f1e; outline-offset: 2px; }
  .buttons { display: flex; flex-wrap: wrap; gap: .7rem; margin: 1rem 0; }
  .record { border: 1px solid var(--line); border-radius: 8px; padding: .9rem 1rem; margin: 0 0 1rem; }
  .field { display: grid; grid-template-columns: minmax(7rem, 12rem) 1fr; gap: .2rem .8rem; align-items: center; padding: .25rem 0; }
  .values { border-collapse: collapse; width: 100%; margin: .3rem 0 .6rem; } .values th, .values td { text-align: left; vertical-align: top; padding: .22rem .8rem .22rem 0; border-top: 1px solid color-mix(in srgb, var(--line) 35%, transparent); white-space: pre-wrap; }
  .values thead th { font-weight: 400; color: var(--soft); font-size: .9rem; border: 0; } .values tbody th { font-weight: 600; width: 32%; }
  summary { cursor: pointer; padding: .35rem 0; min-height: 2rem; }
  .hidden { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); }
  .answers { display: flex; flex-wrap: wrap; gap: 0 1.4rem; border: 0; padding: 0; margin: .6rem 0 0; }
  .hp { position: absolute; left: -9999px; }
  @media (max-width: 40rem) { .field { grid-template-columns: 1fr; padding: .5rem 0; } }
`;
