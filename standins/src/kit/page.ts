import { html, raw } from 'hono/html';
import type { HtmlEscapedString } from 'hono/utils/html';
import { type PracticeState, troubleKinds, troubleWords } from './trouble.ts';

export type Html = HtmlEscapedString | Promise<HtmlEscapedString>;

/** How one practice app looks, so that nobody takes it for another. */
export interface Skin {
  readonly title: string;
  readonly accent: string;
  readonly links: readonly { readonly href: string; readonly text: string }[];
}

const style = (accent: string): string => `
  :root { color-scheme: light; }
  * { box-sizing: border-box; }
  body { margin: 0; font: 15px/1.45 system-ui, "DejaVu Sans", sans-serif; color: #222; background: #fff; }
  header { background: ${accent}; color: #fff; padding: 10px 24px; display: flex; gap: 24px; align-items: baseline; }
  header strong { font-size: 18px; } header a { color: #fff; }
  header small { margin-left: auto; }
  main { padding: 20px 24px; max-width: 1180px; }
  h1 { font-size: 21px; margin: 0 0 14px; }
  table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
  th, td { text-align: left; padding: 6px 10px; border-bottom: 1px solid #ddd; vertical-align: top; }
  th { background: #f4f4f4; font-size: 13px; white-space: nowrap; }
  a { color: ${accent}; }
  form.fields { display: grid; grid-template-columns: 150px 340px; gap: 9px 14px; align-items: center; }
  input, select, button, textarea { font: inherit; padding: 5px 8px; border: 1px solid #888; border-radius: 3px; max-width: 100%; }
  button { background: ${accent}; color: #fff; border-color: ${accent}; cursor: pointer; }
  button.quiet { background: #fff; color: #222; border-color: #888; }
  .bar { display: flex; gap: 12px; align-items: center; margin: 0 0 14px; flex-wrap: wrap; }
  .muted { color: #595959; } .error { background: #fdeaea; border: 1px solid #b33; padding: 8px 12px; margin-bottom: 14px; }
  code { background: #f1f1f1; padding: 2px 6px; border-radius: 3px; }
  .scroll { overflow-x: auto; } .grid td { padding: 0; border: 1px solid #ddd; } .grid th { border: 1px solid #ddd; }
  .grid td input { border: 0; width: 100%; min-width: 110px; border-radius: 0; background: transparent; }
  .grid td:first-child { padding: 6px 8px; color: #595959; background: #f8f8f8; }
  .num input { text-align: right; }
  :target { background: #fff3c4; }
`;

/** One screen of a practice app. */
export function page(skin: Skin, title: string, body: Html): Html {
  return html`<!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width" />
        <title>${title} · ${skin.title}</title>
        <style>${raw(style(skin.accent))}</style>
      </head>
      <body>
        <header>
          <strong>${skin.title}</strong>
          ${skin.links.map((link) => html`<a href="${link.href}">${link.text}</a>`)}
          <small>a practice app with invented data</small>
        </header>
        <main>
          <h1>${title}</h1>
          ${body}
        </main>
      </body>
    </html>`;
}

/** A key that opens the app's interface, for the screen that shows them. */
export interface ShownKey {
  readonly key: string;
  readonly name: string;
  readonly rights: string;
}

/** The page where a person copies a key and switches trouble on and off. */
export function practicePage(
  skin: Skin,
  state: PracticeState,
  keys: readonly ShownKey[],
  howToSend: string,
  more: Html | string = '',
): Html {
  const row = (kind: (typeof troubleKinds)[number]): Html => {
    const left = state.troubles.get(kind) ?? 0;
    const now = left === 0 ? 'off' : Number.isFinite(left) ? `the next ${left}` : 'on';
    return html`<tr>
      <td>${troubleWords[kind]}</td>
      <td>${now}</td>
      <td>
        <form method="post" action="/practice/trouble" class="bar" style="margin:0">
          <input type="hidden" name="kind" value="${kind}" />
          <button name="times" value="1" class="quiet">Once</button>
          <button name="times" value="on" class="quiet">Until off</button>
          <button name="times" value="0" class="quiet">Off</button>
        </form>
      </td>
    </tr>`;
  };
  return page(
    skin,
    skin.links.at(-1)?.text ?? 'Access keys and faults',
    html`<p>${howToSend}</p>
      ${more}
      ${
        keys.length > 0
          ? html`<table>
              <tr><th>Name</th><th>Rights</th><th>Key</th></tr>
              ${keys.map((one) => html`<tr><td>${one.name}</td><td>${one.rights}</td><td><code>${one.key}</code></td></tr>`)}
            </table>`
          : ''
      }
      <h1 style="margin-top:28px">Trouble on demand</h1>
      <p class="muted">Requests so far: ${state.requests}. Writes so far: ${state.writes}.</p>
      <table><tr><th>What goes wrong</th><th>Now</th><th></th></tr>${troubleKinds.map(row)}</table>`,
  );
}
